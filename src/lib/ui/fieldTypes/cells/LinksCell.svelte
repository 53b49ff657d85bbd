<script lang="ts">
  import { linkedTable } from '$core/model/model';
  import type { CellProps } from '../kind';

  /** The records that a link names, each a thread to its table; of a reverse link how many there are. */
  const { model, field, value, text, addressOf, onopen }: CellProps = $props();
  const target = $derived(linkedTable(model, field)?.table);
  const links = $derived(
    (Array.isArray(value) ? value : typeof value === 'object' && value !== null && 'title' in value ? [value] : []) as {
      id: number;
      title: string;
    }[],
  );
</script>

{#snippet name({ id, title }: { id: number; title: string })}
  {#if addressOf}
    <a
      class="thread"
      style:--from="var(--ink-faint)"
      style:--to="var(--dye-{target?.dye})"
      href={addressOf(id)}
      onclick={(event) => {
        // With a key held the browser opens it where it is told to.
        if (!onopen || event.ctrlKey || event.metaKey || event.shiftKey) return;
        event.preventDefault();
        onopen(id);
      }}>{title}</a
    >
  {:else}<span class="thread" style:--from="var(--ink-faint)" style:--to="var(--dye-{target?.dye})">{title}</span>{/if}
{/snippet}

{#if target && links.length > 0 && Array.isArray(value)}
  <span class="several"
    >{#each links as link (link.id)}{@render name(link)}{/each}</span
  >
{:else if target && links[0]}
  {@render name(links[0])}
{:else}
  {text}
{/if}

<style>
  /* A thread: its end in two tones, from here to the target's table. */
  .thread {
    padding-left: 12px;
    background: linear-gradient(90deg, var(--from) 0 4px, var(--to) 4px 8px) left center / 8px 3px no-repeat;
  }
  a.thread {
    color: var(--woad);
    text-decoration: underline;
    text-underline-offset: 2px;
  }
  .several {
    display: inline-flex;
    gap: 10px;
    align-items: center;
    vertical-align: middle;
  }
</style>
