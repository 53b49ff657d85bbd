<script lang="ts">
  import { Checkbox, Input, Label, Select, Textarea } from 'flowbite-svelte';
  import { keyFromLabel } from '$core/model/key';
  import type { Model, Table } from '$core/model/model';
  import Button from '../controls/Button.svelte';
  import FormulaEditor from '../formula/FormulaEditor.svelte';
  import { emptyDraft, type FieldDraft } from './draft';

  /** A field in the inspector: its names, its rules, its type with what belongs to it. */
  const {
    workspace,
    model,
    table,
    start,
    onsave,
    onremove,
    onmove,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    start: FieldDraft | null;
    onsave: (draft: FieldDraft) => void;
    onremove?: () => void;
    onmove?: (by: 1 | -1) => void;
  } = $props();

  // svelte-ignore state_referenced_locally
  let draft = $state<FieldDraft>(start ? { ...start } : emptyDraft());
  const isNew = $derived(start === null);
  const types = [
    { value: 'text', name: 'Text' },
    { value: 'number', name: 'Number' },
    { value: 'yesNo', name: 'Yes/no' },
    { value: 'date', name: 'Date' },
    { value: 'option', name: 'Option: one of a list' },
    { value: 'link', name: 'Link to a table' },
    { value: 'formula', name: 'Formula: calculated' },
  ] as const;
  const rules = [
    { value: 'prevent', name: 'prevent its deletion' },
    { value: 'clear', name: 'clear this field' },
    { value: 'remove', name: 'delete this record, too' },
  ];
  const offered = $derived(
    isNew
      ? types
      : types.filter(({ value }) => (start?.type === 'link' || start?.type === 'formula' ? value === start.type : value !== 'link' && value !== 'formula')),
  );
  const twin = $derived(table.fields.find(({ label, key }) => label.toLowerCase() === draft.label.trim().toLowerCase() && key !== start?.key));

  function save(event: SubmitEvent) {
    event.preventDefault();
    onsave($state.snapshot(draft));
  }
</script>

<form onsubmit={save}>
  <Label>Label<Input class="mt-1 py-1.5" bind:value={draft.label} required maxlength={120} autofocus={isNew} /></Label>
  {#if twin}<p class="warn">This table has a field “{twin.label}” already.</p>{/if}
  <Label class="mt-3"
    >Key, used in formulas and by programs<Input
      class="mt-1 py-1.5 font-mono"
      bind:value={draft.key}
      placeholder={draft.label ? keyFromLabel(draft.label, 'field') : 'made from the label'}
      pattern="[a-z][a-z0-9_]*"
      title="Small letters, digits and _, beginning with a letter"
    /></Label
  >
  <Label class="mt-3">Type<Select class="mt-1 py-1.5" bind:value={draft.type} items={[...offered]} placeholder="" /></Label>

  {#if draft.type === 'number'}
    <div class="two mt-3">
      <Label>Decimals<Input class="mt-1 py-1.5" type="number" min="0" max="30" bind:value={draft.digits} placeholder="as entered" /></Label>
      <Label>Unit<Input class="mt-1 py-1.5" bind:value={draft.unit} placeholder="kg" /></Label>
    </div>
  {:else if draft.type === 'option'}
    <Label class="mt-3">Options, one a line<Textarea class="mt-1 w-full" rows={5} bind:value={draft.options} /></Label>
  {:else if draft.type === 'link'}
    <Label class="mt-3"
      >Points at<Select
        class="mt-1 py-1.5"
        bind:value={draft.to}
        disabled={!isNew}
        required
        items={model.tables.map(({ key, label }) => ({ value: key, name: label }))}
        placeholder="Choose a table"
      /></Label
    >
    {#if isNew}<Label class="mt-3">Called on the other side<Input class="mt-1 py-1.5" bind:value={draft.counterpart} placeholder={table.label} /></Label>{/if}
    <Label class="mt-3">When the linked record is deleted<Select class="mt-1 py-1.5" bind:value={draft.onDelete} items={rules} placeholder="" /></Label>
  {:else if draft.type === 'formula'}
    <div class="mt-3">
      <p class="label">Formula</p>
      <FormulaEditor {workspace} {model} table={table.id} formula={draft.formula} onchange={(text) => (draft.formula = text)} />
    </div>
  {/if}

  <Label class="mt-3">Help for people<Input class="mt-1 py-1.5" bind:value={draft.help} placeholder="shown where the field is filled" /></Label>
  {#if draft.type !== 'formula'}
    <div class="rules mt-3">
      <Checkbox bind:checked={draft.required}>must be filled</Checkbox>
      <Checkbox bind:checked={draft.unique}>each value once</Checkbox>
    </div>
  {/if}
  <div class="steps">
    <Button kind="main" type="submit">{isNew ? 'Add to the plan' : 'Put the change in the plan'}</Button>
    {#if onmove}<Button kind="quiet" onclick={() => onmove(-1)} title="Alt+↑">↑</Button><Button kind="quiet" onclick={() => onmove(1)} title="Alt+↓">↓</Button
      >{/if}
    {#if onremove}<Button kind="danger" onclick={onremove}>To the bin</Button>{/if}
  </div>
</form>

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 10px;
  }
  .rules {
    display: flex;
    gap: 20px;
  }
  .label {
    margin-bottom: 4px;
    font-size: 14px;
    font-weight: 500;
  }
  .warn {
    color: var(--weld);
    font-size: 13px;
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 18px;
  }
</style>
