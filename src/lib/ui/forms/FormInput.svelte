<script lang="ts">
  import { formType } from '$core/forms/entry';
  import { isToMany } from '$core/model/model';
  import type { Field } from '$core/types/field';
  import type { FileReference } from '$core/fieldTypes/files';
  import { gazetteer } from '$core/fieldTypes/gazetteer';
  import type { Choice } from '../controls/Combo.svelte';
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
  const options = $derived(
    type.kind === 'option' || type.kind === 'options'
      ? type.options.map((one) => ({ label: one.label, value: one.label }))
      : [],
  );
  /** Beyond that a list to open takes less room than the words. */
  const mostWords = 6;
  /** As many letters, with room between, stand in one row. */
  const shortest = 40;

  interface Words {
    readonly choices: readonly { readonly label: string; readonly value: string }[];
    readonly chosen: readonly string[];
    readonly many: boolean;
    /** The value that what is chosen says. */
    readonly take: (chosen: readonly string[]) => unknown;
  }
  const one = (choices: Words['choices'], chosen: string | null, take: (word: string) => unknown): Words => ({
    choices,
    chosen: chosen === null ? [] : [chosen],
    many: false,
    take: ([word]) => (word === undefined ? null : take(word)),
  });
  /** Types whose values are a few words that all stand there to choose from. */
  const words = $derived.by((): Words | null => {
    const text = value === null ? null : String(value);
    switch (type.kind) {
      case 'yesNo':
        return one(
          ['yes', 'no'].map((word) => ({ label: word, value: word })),
          text === null ? null : value === true ? 'yes' : 'no',
          (word) => word === 'yes',
        );
      case 'rating':
        return one(
          Array.from({ length: type.most }, (_, index) => ({ label: String(index + 1), value: String(index + 1) })),
          text,
          Number,
        );
      case 'option':
        return type.entry === 'buttons' || options.length <= mostWords ? one(options, text, String) : null;
      case 'options':
        return {
          choices: options,
          chosen: (value ?? []) as string[],
          many: true,
          take: (chosen) => (chosen.length === 0 ? null : chosen),
        };
      default:
        return null;
    }
  });
  /** What is sent as it is written can be taken with each letter; the rest is read once it is whole. */
  const isPlain = $derived(['text', 'email', 'url', 'phone', 'place'].includes(type.kind));
  const described = $derived({ 'aria-describedby': describedby, 'aria-invalid': invalid });
</script>

{#if type.kind === 'link' || type.kind === 'member' || isToMany(field)}
  <LinkInput {id} {label} {value} {choices} {onchange} many={isToMany(field)} />
{:else if type.kind === 'files' || type.kind === 'pictures'}
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
{:else if type.kind === 'option'}
  <select
    {id}
    class="control"
    {...described}
    {required}
    value={value ?? ''}
    onchange={(event) => onchange(event.currentTarget.value || null)}
  >
    <option value="">{placeholder || 'choose'}</option>
    {#each options as one (one.value)}<option value={one.value}>{one.label}</option>{/each}
  </select>
{:else if type.kind === 'longText'}
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
      list={type.kind === 'place' ? `${id}-places` : undefined}
      maxlength={type.kind === 'text' ? type.maxLength : undefined}
      {placeholder}
      {...described}
      value={inputText(value, type, zone)}
      oninput={(event) => isPlain && onchange(writtenValue(event.currentTarget.value, type))}
      onchange={(event) => onchange(writtenValue(event.currentTarget.value, type))}
    />
    {#if unit}<span class="unit">{unit}</span>{/if}
  </span>
  {#if type.kind === 'place'}<datalist id="{id}-places"
      >{#each gazetteer as { name } (name)}<option value={name}></option>{/each}</datalist
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
