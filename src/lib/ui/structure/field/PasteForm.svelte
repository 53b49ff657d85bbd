<script lang="ts">
  import Button from '../../controls/Button.svelte';
  import type { FieldDraft } from '../../fieldTypes/fieldDraft';
  import FieldLines from './FieldLines.svelte';
  import { pastedFields, type LinkTarget } from './pastedFields';

  /** Many fields at once: one a line, its type behind a colon or a tab. */
  const { targets, onadd }: { targets: readonly LinkTarget[]; onadd: (drafts: readonly FieldDraft[]) => void } =
    $props();
  let text = $state('');
  const drafts = $derived(pastedFields(text, targets).flatMap(({ draft }) => draft ?? []));
</script>

<form onsubmit={(event) => (event.preventDefault(), onadd(drafts))}>
  <FieldLines bind:text {targets} begin />
  <div class="steps">
    <Button kind="main" type="submit" disabled={drafts.length === 0}
      >Add {drafts.length} {drafts.length === 1 ? 'field' : 'fields'} to the plan</Button
    >
  </div>
</form>

<style>
  .steps {
    margin-top: 12px;
  }
</style>
