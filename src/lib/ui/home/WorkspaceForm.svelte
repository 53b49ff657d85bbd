<script lang="ts">
  import { Input, Label, Modal } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import type { LedgerLine } from '$server/workspaces/workspaces';
  import Button from '../controls/Button.svelte';
  import LookChooser from '../controls/LookChooser.svelte';

  /** The name, the purpose and the look of a workspace. */
  const {
    line,
    onsave,
    onclose,
  }: { line: LedgerLine; onsave: (settings: Record<string, unknown>) => void; onclose: () => void } = $props();
  let open = $state(true);
  let draft = $state(
    untrack(() => ({ label: line.label, description: line.description, dye: line.dye, icon: line.icon })),
  );
  $effect(() => {
    if (!open) onclose();
  });
</script>

<Modal bind:open title="Workspace {line.label}" size="sm">
  <form onsubmit={(event) => (event.preventDefault(), onsave($state.snapshot(draft)))}>
    <Label>Name<Input class="mt-1 py-1.5" bind:value={draft.label} required maxlength={120} /></Label>
    <Label class="mt-3"
      >What it is for<Input class="mt-1 py-1.5" bind:value={draft.description} maxlength={2000} /></Label
    >
    <LookChooser bind:dye={draft.dye} bind:icon={draft.icon} />
    <div class="do">
      <Button kind="main" type="submit" disabled={draft.label.trim() === ''}>Save</Button><Button
        kind="quiet"
        onclick={onclose}>Cancel</Button
      >
    </div>
  </form>
</Modal>

<style>
  .do {
    display: flex;
    gap: 8px;
    margin-top: 16px;
  }
</style>
