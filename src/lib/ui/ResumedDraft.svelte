<script lang="ts">
  import type { SteppedDraft } from './steppedDraft.svelte';
  import Button from './controls/Button.svelte';

  /** Says of a design that was left without being saved that it is not saved yet. */
  const { draft }: { draft: Pick<SteppedDraft<unknown>, 'resumed' | 'isChanged' | 'discard'> } = $props();
</script>

{#if draft.resumed && draft.isChanged}
  <p role="status">
    What you changed here before is not saved yet.
    <Button kind="quiet" onclick={() => draft.discard()}>Discard it</Button>
  </p>
{/if}

<style>
  p {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px;
    padding: 4px 14px;
    border-bottom: 1px solid var(--line);
  }
</style>
