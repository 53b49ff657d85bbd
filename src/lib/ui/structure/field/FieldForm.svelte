<script lang="ts">
  import { say } from '$core/base/say';
  import { Checkbox, Input, Label, Select } from 'flowbite-svelte';
  import { keyFromLabel, nearestNames } from '$core/base/key';
  import { fieldNamed } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import { newFieldKey } from '$core/model/names/naming';
  import Button from '../../controls/Button.svelte';
  import FormulaEditor from '../../formula/FormulaEditor.svelte';
  import { kindWord } from '$core/model/names/kindWords';
  import type { DraftType, FieldDraft } from '../../fieldTypes/fieldDraft';
  import { typeGroups, type AskedFormula } from '../../fieldTypes/kind';
  import { draftTypes, uiOf } from '../../fieldTypes/registry';
  import { emptyDraft } from './draft';
  import FieldRules from './FieldRules.svelte';

  /** A field in the inspector: its names, its type with what belongs to it, its rules, who sees it. */
  const {
    workspace,
    model,
    table,
    start,
    preset = null,
    system = false,
    others = [],
    onsave,
    onremove,
    onmove,
    ontable,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    start: FieldDraft | null;
    /** What a new field begins with. */
    preset?: FieldDraft | null;
    /** Kept by the system: only its names and whether it is shown can be changed. */
    system?: boolean;
    /** Tables of other workspaces that links can point at. */
    others?: readonly { readonly path: string; readonly label: string }[];
    onsave: (draft: FieldDraft) => void;
    onremove?: () => void;
    onmove?: (by: 1 | -1) => void;
    /** Turns the list of options into a table. */
    ontable?: () => void;
  } = $props();

  // svelte-ignore state_referenced_locally
  let draft = $state<FieldDraft>(structuredClone($state.snapshot(start ?? preset ?? emptyDraft())));
  const isNew = $derived(start === null);
  const groups = typeGroups.map(
    (name) => [name, draftTypes().filter((type) => uiOf({ kind: type }).group === name)] as const,
  );
  const convertible = (type: DraftType) => {
    if (isNew || type === start?.type) return true;
    // What is calculated can be kept as values, and the other way round; a link has plans of its own.
    if (type === 'formula') return start?.type !== 'link';
    if (start?.type === 'link') return type === 'text' || type === (start.many ? 'options' : 'option');
    return type !== 'link' || !start?.unique;
  };
  const similar = $derived(
    draft.label.trim().length < 3 || draft.label === start?.label
      ? []
      : nearestNames(
          draft.label,
          table.fields.filter(({ key }) => key !== start?.key).map(({ label }) => label),
          2,
        ),
  );
  /** What the formula may call the field itself, over a hierarchy. */
  const ownNames = $derived({
    id: (isNew ? null : fieldNamed(table, start?.key ?? '')?.id) ?? 'draft',
    key: draft.key || newFieldKey(table.fields, draft.label || 'draft'),
    label: draft.label || 'draft',
  });
  const twin = $derived(
    table.fields.find(
      ({ label, key }) => label.toLowerCase() === draft.label.trim().toLowerCase() && key !== start?.key,
    ),
  );
  const place = $derived({ workspace, model, table, start, others, own: ownNames, ontable });
  const ui = $derived(uiOf({ kind: draft.type }).draft);
  const settings = $derived(ui?.settings?.());
  const hasPreset = $derived(!ui?.noDefault && !(draft.type === 'link' && draft.many));
  const readings = $derived(!isNew && start?.type !== draft.type ? ui?.readings : undefined);

  function save(event: SubmitEvent) {
    event.preventDefault();
    const sent = $state.snapshot(draft) as FieldDraft;
    // The rules name the field by its key, which is made from the label unless somebody chose one.
    onsave({ ...sent, key: sent.key || (needsKey(sent) ? newFieldKey(table.fields, sent.label) : '') });
  }

  const needsKey = ({ rules }: FieldDraft) =>
    rules.least !== '' || rules.greatest !== '' || rules.pattern !== '' || rules.together.length > 0;
</script>

{#snippet formulaEditor({ model: read, formula, condition, local = false, example, onchange }: AskedFormula)}
  {#key ownNames.key}
    <FormulaEditor
      {workspace}
      model={read}
      table={table.id}
      {formula}
      {...condition
        ? { condition: true, called: condition, local, focus: false, example: example ?? '' }
        : { own: ownNames }}
      {onchange}
    />
  {/key}
{/snippet}

<form onsubmit={save}>
  <Label>Label<Input class="mt-1 py-1.5" bind:value={draft.label} required maxlength={120} autofocus={isNew} /></Label>
  {#if twin}<p class="warn">This table has a field “{twin.label}” already.</p>{:else if similar.length > 0}<p
      class="warn"
    >
      Similar exists already: {similar.join(', ')}
    </p>{/if}
  <Label class="mt-3"
    >Key, used in formulas and by programs<Input
      class="mt-1 py-1.5 font-mono"
      bind:value={draft.key}
      placeholder={draft.label ? keyFromLabel(draft.label, 'field') : 'made from the label'}
      pattern="[a-z][a-z0-9_]*"
      title="Small letters, digits and _, beginning with a letter"
    /></Label
  >
  {#if !system}
    <Label class="mt-3"
      >Type
      <select class="type" bind:value={draft.type}>
        {#each groups as [name, types] (name)}
          <optgroup label={say(name)}>
            {#each types.filter(convertible) as type (type)}<option value={type}>{kindWord(type)}</option>{/each}
          </optgroup>
        {/each}
      </select></Label
    >

    {#await settings then part}
      {#if part}<part.default bind:draft {place} {formulaEditor} />{/if}
    {/await}
    {#if readings}
      <div class="two mt-3">
        {#if readings === 'dateOrder'}
          <Label
            >Dates are written<Select
              class="mt-1 py-1.5"
              bind:value={draft.dateOrder}
              placeholder=""
              items={[
                { value: 'ymd', name: 'year-month-day' },
                { value: 'dmy', name: 'day.month.year' },
                { value: 'mdy', name: 'month/day/year' },
              ]}
            /></Label
          >
        {:else}
          <Label
            >Decimal sign<Select
              class="mt-1 py-1.5"
              bind:value={draft.decimal}
              placeholder=""
              items={[
                { value: '.', name: '12.5' },
                { value: ',', name: '12,5' },
              ]}
            /></Label
          >
        {/if}
      </div>
    {/if}
  {/if}

  <Label class="mt-3"
    >Help for people<Input
      class="mt-1 py-1.5"
      bind:value={draft.help}
      placeholder="shown where the field is filled"
    /></Label
  >
  {#if draft.type !== 'formula' && !system}
    <div class="rules mt-3">
      <Checkbox bind:checked={draft.required}>required</Checkbox>
      {#if !draft.many}<Checkbox bind:checked={draft.unique}
          >{draft.type === 'link' ? 'unique: each record once' : 'unique'}</Checkbox
        >{/if}
    </div>
    <FieldRules {model} {table} bind:draft />
  {/if}
  <details
    class="mt-3"
    open={draft.off ||
      draft.internal ||
      draft.unlisted ||
      draft.preset !== 'none' ||
      draft.placeholder !== '' ||
      draft.example !== ''}
  >
    <summary>Default, example, who sees it</summary>
    {#if hasPreset && !system}
      <div class="two mt-2">
        <Label
          >Default<Select
            class="mt-1 py-1.5"
            bind:value={draft.preset}
            placeholder=""
            items={[
              { value: 'none', name: 'none' },
              { value: 'value', name: 'a fixed value' },
              ...(ui?.begins ? [ui.begins] : []),
              { value: 'formula', name: 'a formula' },
            ]}
          /></Label
        >
        {#if draft.preset === 'value' || draft.preset === 'formula'}<Label
            >{draft.preset === 'value' ? 'Value' : 'Formula'}<Input
              class="mt-1 py-1.5"
              bind:value={draft.presetText}
              required
            /></Label
          >{/if}
      </div>
      <div class="two mt-2">
        <Label>Placeholder<Input class="mt-1 py-1.5" bind:value={draft.placeholder} /></Label>
        <Label>Example<Input class="mt-1 py-1.5" bind:value={draft.example} /></Label>
      </div>
    {/if}
    <div class="mt-3 grid gap-2">
      <Checkbox bind:checked={draft.off}>switched off: kept, hidden everywhere</Checkbox>
      <Checkbox bind:checked={draft.internal}>internal: never for outsiders and readers</Checkbox>
      <Checkbox bind:checked={draft.unlisted}>left out of summaries and exports</Checkbox>
    </div>
  </details>
  <div class="steps">
    <Button kind="main" type="submit">{isNew ? 'Add to the plan' : 'Put the change in the plan'}</Button>
    {#if onmove}<Button kind="quiet" onclick={() => onmove(-1)} title="Alt+↑">↑</Button><Button
        kind="quiet"
        onclick={() => onmove(1)}
        title="Alt+↓">↓</Button
      >{/if}
    {#if onremove && !system}<Button kind="danger" onclick={onremove}>To the bin</Button>{/if}
  </div>
</form>

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 10px;
  }
  .type {
    width: 100%;
    height: 36px;
    margin-top: 4px;
    padding: 4px 10px;
    color: var(--ink);
    background-color: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    appearance: none;
  }
  .rules {
    display: flex;
    gap: 20px;
  }
  form :global(.label) {
    margin-bottom: 4px;
    font-size: 14px;
    font-weight: 500;
  }
  .warn {
    color: var(--weld);
    font-size: 13px;
  }
  form :global(.hint) {
    margin-top: 4px;
    color: var(--ink-faint);
    font-size: 12px;
  }
  summary {
    color: var(--woad);
    font-size: 13px;
    cursor: pointer;
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 18px;
  }
</style>
