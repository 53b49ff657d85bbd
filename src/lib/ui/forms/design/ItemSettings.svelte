<script lang="ts">
  import { Input, Label, Textarea } from 'flowbite-svelte';
  import type { FormAudience } from '$core/types/form';
  import type { FormItemJson } from '$core/forms/formJson';
  import { isLink } from '$core/forms/form';
  import { fieldOf, linkedTable } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { formType } from '$core/forms/entry';
  import type { Choice } from '../../controls/Combo.svelte';
  import Button from '../../controls/Button.svelte';
  import { typeWords } from '../../values/show';
  import ConditionField from './ConditionField.svelte';
  import FormInput from '../fill/FormInput.svelte';

  /** All that a form says of one of its items; what is left blank is as the field itself has it. */
  const {
    model,
    field,
    item,
    audience,
    twoColumns,
    asked,
    zone,
    choices,
    onset,
    onremove,
  }: {
    model: Model;
    field: Field;
    item: FormItemJson;
    audience: FormAudience;
    twoColumns: boolean;
    /** What its condition can ask about. */
    asked: { model: Model; table: Table };
    zone: string;
    choices: (typed: string) => Promise<readonly Choice[]>;
    onset: (set: Readonly<Record<string, unknown>>) => void;
    onremove: () => void;
  } = $props();
  const uid = $props.id();
  const target = $derived(isLink(field) ? linkedTable(model, field)?.table : undefined);
  const listed = $derived(
    field.type.kind === 'counterpart' && field.type.over === undefined
      ? fieldOf(model, field.type.link).table
      : undefined,
  );
  const takesPreset = $derived(
    !['files', 'pictures'].includes(field.type.kind) && !(isLink(field) && field.type.kind === 'counterpart'),
  );
  const text = (event: Event) => (event.currentTarget as HTMLInputElement).value;
  const yes = (event: Event) => ((event.currentTarget as HTMLInputElement).checked ? true : undefined);
  /** How the records that a link offers are said. */
  let limits = $derived('field' in item && item.offers !== undefined && item.offers !== 'true');
</script>

<p class="kind">{field.key} · {typeWords(model, field)}</p>
<Label for="{uid}-label">Label</Label>
<Input
  id="{uid}-label"
  class="mt-1 py-1.5"
  value={item.label ?? ''}
  placeholder={field.label}
  oninput={(event) => onset({ label: text(event) })}
/>

{#if 'list' in item}
  {#if listed}
    <h3>Only records where</h3>
    <ConditionField
      {model}
      table={listed}
      formula={item.filter ?? ''}
      {zone}
      label="Records of the list"
      onchange={(filter) => onset({ filter })}
    />
  {/if}
{:else}
  <Label class="mt-3" for="{uid}-help">Help under the label</Label>
  <Textarea
    id="{uid}-help"
    class="mt-1 w-full"
    rows={2}
    value={item.help ?? ''}
    placeholder={field.help}
    oninput={(event) => onset({ help: text(event) })}
  />
  <Label class="mt-3" for="{uid}-placeholder">Placeholder</Label>
  <Input
    id="{uid}-placeholder"
    class="mt-1 py-1.5"
    value={item.placeholder ?? ''}
    placeholder={field.placeholder ?? 'shown in the empty field'}
    oninput={(event) => onset({ placeholder: text(event) })}
  />
  <div class="ticks">
    <label>
      <input
        type="checkbox"
        checked={item.required ?? Boolean(field.required)}
        disabled={Boolean(field.required)}
        onchange={(event) => onset({ required: yes(event) })}
      />
      required{field.required ? ', as in every record' : ''}
    </label>
    {#if twoColumns}<label
        ><input type="checkbox" checked={item.wide ?? false} onchange={(event) => onset({ wide: yes(event) })} /> over both
        columns</label
      >{/if}
    {#if takesPreset}<label
        ><input type="checkbox" checked={item.hidden ?? false} onchange={(event) => onset({ hidden: yes(event) })} /> not
        shown; every entry has the value below</label
      >{/if}
  </div>
  {#if takesPreset}
    <h3>{item.hidden ? 'Every entry has' : 'What stands in it at first'}</h3>
    <div class="preset">
      <FormInput
        id="{uid}-preset"
        field={{ ...field, type: formType(field) }}
        label={item.hidden ? 'Every entry has' : 'What stands in it at first'}
        placeholder="nothing"
        value={item.preset ?? null}
        {zone}
        required={false}
        invalid={Boolean(item.hidden) && item.preset === undefined}
        {choices}
        onchange={(value) => onset({ preset: value ?? undefined })}
      />
    </div>
  {/if}
  {#if target && !item.hidden}
    <h3>Which records of {target.label} can be chosen</h3>
    <div class="ticks">
      <label
        ><input
          type="radio"
          name="{uid}-offers"
          checked={item.offers === 'true' || (audience === 'inside' && item.offers === undefined && !limits)}
          onchange={() => onset({ offers: audience === 'inside' ? undefined : 'true' })}
        />
        every record{audience === 'outside' ? ': outsiders may see all titles' : ''}</label
      >
      <label
        ><input type="radio" name="{uid}-offers" checked={limits} onchange={() => (limits = true)} /> those where</label
      >
    </div>
    {#if limits}
      <ConditionField
        {model}
        table={target}
        formula={item.offers === 'true' ? '' : (item.offers ?? '')}
        {zone}
        label="Records that can be chosen"
        onchange={(offers) => onset({ offers })}
      />
    {/if}
  {/if}
  <h3>Shown only if</h3>
  {#if asked.table.fields.length > 0}
    <ConditionField
      model={asked.model}
      table={asked.table}
      formula={item.shownIf ?? ''}
      {zone}
      label="Shown only if"
      onchange={(shownIf) => onset({ shownIf })}
    />
  {:else}<p class="kind">Nothing is filled in above it that this could depend on.</p>{/if}
{/if}
<div class="steps"><Button kind="danger" onclick={onremove}>Take it off the form</Button></div>

<style>
  .kind {
    margin-bottom: 10px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  h3 {
    margin: 18px 0 5px;
    font-size: 13px;
  }
  .ticks {
    display: flex;
    flex-direction: column;
    gap: 6px;
    margin-top: 12px;
  }
  h3 + .ticks {
    margin-top: 0;
  }
  .ticks label {
    display: flex;
    gap: 8px;
    align-items: baseline;
  }
  .steps {
    margin-top: 22px;
  }
</style>
