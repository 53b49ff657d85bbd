<script lang="ts">
  import type { CellProps } from '../kind';

  const { value }: CellProps = $props();
</script>

<span class:no={!value}>{value ? 'yes' : 'no'}</span>

<style>
  .no {
    color: var(--ink-faint);
  }
</style>
