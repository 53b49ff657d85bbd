<script lang="ts">
  import { counted } from '../values/words';
  import type { UnsentEdits } from './unsent.svelte';

  /**
   * Edits that are not with the server yet, and those it refused when they came: none is dropped without being seen.
   */
  const { unsent }: { unsent: UnsentEdits } = $props();
  const waiting = $derived(unsent.waiting);
  const refused = $derived(unsent.list.filter((edit) => edit.refused));
</script>

{#if unsent.list.length > 0}
  <div class="unsent" role="status">
    {#if waiting.length > 0}
      <p>
        <b>{counted(waiting.length, 'edit')} not sent yet</b>, kept in this browser: {waiting
          .slice(0, 3)
          .map(({ words }) => words)
          .join('; ')}{waiting.length > 3 ? ' …' : ''}. <button onclick={() => void unsent.send()}>Try now</button>
      </p>
    {/if}
    {#each refused as edit (edit.key)}
      <p>
        <b>{edit.words}</b> was not taken: {edit.refused?.message ?? ''}
        {edit.refused?.fix ?? ''}
        <button onclick={() => unsent.dismiss(edit.key)}>I have seen it</button>
      </p>
    {/each}
  </div>
{/if}

<style>
  .unsent {
    padding: 5px 14px;
    font-size: 13px;
    background: var(--weld-tint);
    border-bottom: 1px solid var(--weld);
  }
  button {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
