<script lang="ts">
  import { Input, Label, Select } from 'flowbite-svelte';
  import { isSystem } from '$core/model/model';
  import type { Table } from '$core/types/model';
  import Button from '../controls/Button.svelte';
  import LookChooser from '../controls/LookChooser.svelte';

  /** The names, the reason, the colour and the title of a table. */
  const { table, onsave }: { table: Table; onsave: (set: Record<string, unknown>) => void } = $props();
  // svelte-ignore state_referenced_locally
  let draft = $state({
    label: table.label,
    key: table.key,
    description: table.description,
    dye: table.dye,
    icon: table.icon ?? null,
    title: table.title ?? '',
  });
  const titles = $derived(
    table.fields.filter(
      (field) =>
        field.type.kind !== 'counterpart' &&
        !isSystem(field) &&
        !['files', 'pictures', 'longText'].includes(field.type.kind),
    ),
  );

  function save(event: SubmitEvent) {
    event.preventDefault();
    const set: Record<string, unknown> = {};
    for (const name of ['label', 'key', 'description', 'dye'] as const)
      if (draft[name] !== table[name]) set[name] = draft[name];
    if (draft.icon !== (table.icon ?? null)) set.icon = draft.icon;
    if (draft.title !== (table.title ?? '')) set.title = draft.title === '' ? null : draft.title;
    if (Object.keys(set).length > 0) onsave(set);
  }
</script>

<form onsubmit={save}>
  <Label>Name<Input class="mt-1 py-1.5" bind:value={draft.label} required maxlength={120} /></Label>
  <Label class="mt-3"
    >Key<Input class="mt-1 py-1.5 font-mono" bind:value={draft.key} pattern="[a-z][a-z0-9_]*" required /></Label
  >
  <Label class="mt-3">What it is for<Input class="mt-1 py-1.5" bind:value={draft.description} /></Label>
  <LookChooser bind:dye={draft.dye} bind:icon={draft.icon} />
  <Label class="mt-3"
    >Title field<Select
      class="mt-1 py-1.5"
      bind:value={draft.title}
      placeholder=""
      items={[...titles.map(({ id, label }) => ({ value: id, name: label })), { value: '', name: 'their number' }]}
    /></Label
  >
  <div class="steps"><Button kind="main" type="submit">Put the change in the plan</Button></div>
</form>

<style>
  .steps {
    margin-top: 16px;
  }
</style>
