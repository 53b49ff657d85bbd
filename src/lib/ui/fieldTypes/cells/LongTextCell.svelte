<script lang="ts">
  import MarkdownText from '../../values/MarkdownText.svelte';
  import type { CellProps } from '../kind';

  const { type, value, large }: CellProps = $props();
</script>

{#if type.kind === 'longText' && type.markdown && large}
  <MarkdownText text={String(value)} />
{:else if large}
  <span class="long">{String(value)}</span>
{:else}
  {String(value)}
{/if}

<style>
  .long {
    white-space: pre-wrap;
  }
</style>
