<script lang="ts">
  import { formType } from '$core/forms/entry';
  import { shownOption } from '$core/fieldTypes/option';
  import { isToMany } from '$core/model/model';
  import type { Field } from '$core/types/field';
  import type { FileReference } from '$core/fieldTypes/files';
  import type { Choice } from '../../controls/Combo.svelte';
  import { uiOf } from '../../fieldTypes/registry';
  import ChoiceInput from './ChoiceInput.svelte';
  import FileInput from './FileInput.svelte';
  import LinkInput from './LinkInput.svelte';
  import { inputKind, inputText, unitOf, writtenValue } from './inputText';

  /**
   * One field of a form, by the control that fits its type on a phone as on a desk. Gives values as programs send them.
   */
  const {
    id,
    field,
    label,
    placeholder,
    value,
    zone,
    required,
    invalid,
    describedby,
    choices,
    onchange,
  }: {
    id: string;
    field: Field;
    label: string;
    placeholder: string;
    value: unknown;
    zone: string;
    required: boolean;
    invalid: boolean;
    describedby?: string;
    choices: (typed: string) => Promise<readonly Choice[]>;
    onchange: (value: unknown) => void;
  } = $props();
  const type = $derived(formType(field));
  const kind = $derived(inputKind(type));
  const unit = $derived(unitOf(type));
  const input = $derived(uiOf(type).input);
  const options = $derived(type.kind === 'option' ? type.options : []);
  /** As many letters, with room between, stand in one row. */
  const shortest = 40;
  /** Types whose values are a few words that all stand there to choose from. */
  const words = $derived(input?.words?.(value, type) ?? null);
  const described = $derived({ 'aria-describedby': describedby, 'aria-invalid': invalid });
</script>

{#if input?.control === 'link'}
  <LinkInput {id} {label} {value} {choices} {onchange} many={isToMany(field)} />
{:else if input?.control === 'files'}
  <FileInput
    {id}
    {label}
    {describedby}
    pictures={type.kind === 'pictures'}
    value={(value ?? []) as (File | FileReference)[]}
    {onchange}
  />
{:else if words}
  <ChoiceInput
    {id}
    name={id}
    {label}
    {invalid}
    {describedby}
    choices={words.choices}
    chosen={words.chosen}
    many={words.many}
    inRow={words.choices.map((one) => `${one.label}    `).join('').length <= shortest}
    clearable={!required}
    onchange={(chosen) => onchange(words.take(chosen))}
  />
{:else if input?.control === 'words'}
  <select
    {id}
    class="control"
    {...described}
    {required}
    value={value ?? ''}
    onchange={(event) => onchange(event.currentTarget.value || null)}
  >
    <option value="">{placeholder || 'choose'}</option>
    {#each options as option (option.id)}<option value={option.label}>{shownOption(option)}</option>{/each}
  </select>
{:else if input?.control === 'area'}
  <textarea
    {id}
    class="control"
    rows="4"
    {placeholder}
    {...described}
    value={value == null ? '' : String(value)}
    oninput={(event) => onchange(event.currentTarget.value || null)}
  ></textarea>
{:else}
  <span class="with-unit">
    <input
      {id}
      class="control"
      type={kind.type}
      inputmode={kind.inputmode}
      autocomplete={kind.autocomplete ?? 'off'}
      list={input?.offered ? `${id}-offered` : undefined}
      maxlength={type.kind === 'text' ? type.maxLength : undefined}
      {placeholder}
      {...described}
      value={inputText(value, type, zone)}
      oninput={(event) => input?.plain && onchange(writtenValue(event.currentTarget.value, type))}
      onchange={(event) => onchange(writtenValue(event.currentTarget.value, type))}
    />
    {#if unit}<span class="unit">{unit}</span>{/if}
  </span>
  {#if input?.offered}<datalist id="{id}-offered"
      >{#each input.offered() as word (word)}<option value={word}></option>{/each}</datalist
    >{/if}
{/if}

<style>
  .control {
    width: 100%;
    min-height: 40px;
    padding: 6px 12px;
    font: inherit;
    color: var(--ink);
    background-color: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .control:focus {
    border-color: var(--woad);
    outline: 2px solid var(--woad);
    outline-offset: 0;
    box-shadow: none;
  }
  .control[aria-invalid='true'] {
    border-color: var(--madder);
  }
  .with-unit {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .unit {
    color: var(--ink-soft);
  }
</style>
