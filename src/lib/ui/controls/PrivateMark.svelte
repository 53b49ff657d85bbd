<script lang="ts">
  import Lock from '@lucide/svelte/icons/lock';
  import type { Table } from '$core/types/model';

  /** Says that a table is private, where it is; without words only by its sign. */
  const { table, words = true }: { table: Pick<Table, 'privateTo'>; words?: boolean } = $props();
</script>

{#if table.privateTo !== undefined}<span class="private" title="Private: only you see this table, until you share it"
    ><Lock size={13} aria-hidden="true" /><span class:sr-only={!words}>Private</span></span
  >{/if}

<style>
  .private {
    display: inline-flex;
    gap: 4px;
    align-items: center;
    color: var(--ink-soft);
    font-size: 13px;
    white-space: nowrap;
  }
</style>
