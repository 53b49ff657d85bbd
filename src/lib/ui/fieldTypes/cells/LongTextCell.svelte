<script lang="ts">
  import type { CellProps } from '../kind';

  const { type, value, large }: CellProps = $props();
</script>

{#snippet plain()}<span class="long">{String(value)}</span>{/snippet}

{#if type.kind === 'longText' && type.markdown && large}
  <!-- The reader of Markdown is large, and most pages show none. -->
  {#await import('../../values/MarkdownText.svelte')}
    {@render plain()}
  {:then { default: MarkdownText }}
    <MarkdownText text={String(value)} />
  {/await}
{:else if large}
  {@render plain()}
{:else}
  {String(value)}
{/if}

<style>
  .long {
    white-space: pre-wrap;
  }
</style>
