<script lang="ts">
  /**
   * Long text written in Markdown (CommonMark), read as it is meant. micromark makes no HTML of HTML in the text and
   * keeps no address of a dangerous kind, so that nothing in a record runs; pictures are left out, as showing one would
   * tell another server who reads here. It is fetched when the first such text is shown.
   */
  const { text }: { text: string } = $props();
  const html = $derived(
    import('micromark').then(({ micromark }) =>
      micromark(text, { extensions: [{ disable: { null: ['labelStartImage'] } }] }),
    ),
  );
</script>

<div class="markdown">
  {#await html}
    <span class="plain">{text}</span>
  {:then made}
    <!-- eslint-disable-next-line svelte/no-at-html-tags -- micromark lets no HTML of the text through -->
    {@html made}
  {/await}
</div>

<style>
  .plain {
    white-space: pre-wrap;
  }
  .markdown {
    line-height: 1.45;
    overflow-wrap: anywhere;
  }
  .markdown :global(:is(p, ul, ol, blockquote, pre, h1, h2, h3, h4) + *) {
    margin-top: 6px;
  }
  .markdown :global(:is(h1, h2, h3, h4)) {
    font-size: 1em;
    font-weight: 600;
  }
  .markdown :global(ul) {
    padding-left: 18px;
    list-style: disc;
  }
  .markdown :global(ol) {
    padding-left: 20px;
    list-style: decimal;
  }
  .markdown :global(blockquote) {
    padding-left: 10px;
    color: var(--ink-faint);
    border-left: 2px solid var(--line-strong);
  }
  .markdown :global(code) {
    font-family: var(--mono, monospace);
    font-size: 0.92em;
  }
  .markdown :global(a) {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
