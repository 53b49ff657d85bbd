<script lang="ts">
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import type { EnteredType } from '$core/fieldTypes/registry';
  import { shownType } from '$core/formula/shownType';
  import { typedText } from '$core/fieldTypes/typed';
  import ChoiceEditor from '../fieldTypes/editors/ChoiceEditor.svelte';
  import TextEditor from '../fieldTypes/editors/TextEditor.svelte';
  import type { EditorProps } from '../fieldTypes/kind';
  import { uiOf } from '../fieldTypes/registry';
  import { useFrame } from '../frame/context';
  import { habit } from '../values/habit';
  import { editText } from '../values/show';

  /** The editor that fits a field's type. Gives JSON values as the API takes them; the API says what does not fit. */
  const {
    workspace,
    model,
    table,
    field: given,
    value,
    start,
    record = null,
    draft = {},
    oncommit,
    oncancel,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    field: Field;
    value: unknown;
    /** What was typed to open the editor; null keeps the value. */
    start: string | null;
    record?: number | null;
    draft?: Readonly<Record<string, unknown>>;
    oncommit: EditorProps['oncommit'];
    oncancel: () => void;
  } = $props();

  const { zone } = useFrame().workspace;
  // What is calculated and typed into nevertheless is entered as it is shown.
  const type = $derived(shownType(model, given));
  const field = $derived({ ...given, type });
  const ui = $derived(uiOf(type));
  const numbers = $derived(ui.isNumber?.(type) ?? false);
  /** The text an editor begins with, in the person's own way of writing. */
  const begun = $derived(
    numbers && (typeof value === 'number' || typeof value === 'string')
      ? typedText(String(value), type as EnteredType, habit())
      : editText(value, type, zone),
  );
  const place = $derived({ workspace, model, table, field, record, draft, mayMake: true });
  const editing = $derived<EditorProps>({ place, value, start, begun, zone, oncommit, oncancel });
  const Editor = $derived(ui.Editor?.(type));
  const { choices, unlisted } = $derived(ui);
</script>

{#if Editor}
  <Editor {...editing} />
{:else if choices}
  <ChoiceEditor
    {...editing}
    choices={(typed) => choices(place, type, typed)}
    unlisted={(typed) => unlisted?.(place, type, typed) ?? null}
  />
{:else}
  <TextEditor {...editing} numbers={ui.input?.line === 'decimal'} shape={ui.shape?.(type)} />
{/if}

<style>
  :global(.cell-editor) {
    width: 100%;
    height: 100%;
    padding: 3px 8px;
    font: inherit;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
</style>
