<script lang="ts">
  import type { Problem } from '$core/base/problem';
  import type { EditorProps } from '../kind';
  import { asChoice, listed } from '../kinds/optionList';
  import EditorProblem from './EditorProblem.svelte';
  import { linkChoices, makeTarget } from './linkChoices';
  import ListEditor, { type ListChoice } from './ListEditor.svelte';

  /** Several of a list: options, or the records of a link to many. */
  const { place, value, oncommit, oncancel }: EditorProps = $props();
  const { label, type } = $derived(place.field);
  let problem = $state.raw<Problem | null>(null);

  async function choices(typed: string): Promise<readonly ListChoice[]> {
    if (type.kind === 'options') return listed(type, typed).map(asChoice);
    const found = await linkChoices({ ...place, mayMake: false }, typed);
    problem = null;
    return found.flatMap((one) =>
      'id' in one.value ? [{ label: one.label, about: one.about, value: one.value }] : [],
    );
  }

  function chosenWord(word: string): ListChoice {
    const option = type.kind === 'options' ? type.options.find((one) => one.label === word) : undefined;
    return option ? asChoice(option) : { label: word, value: word };
  }

  const chosen = (): ListChoice[] =>
    (Array.isArray(value) ? value : []).map((one: unknown) =>
      typeof one === 'string' ? chosenWord(one) : { label: (one as { title: string }).title, value: one },
    );

  async function create(text: string): Promise<ListChoice | null> {
    if (type.kind === 'options') return type.open ? { label: text, value: text } : null;
    const made = await makeTarget(place, text);
    if ('problem' in made) problem = { message: made.problem };
    return 'problem' in made ? null : { label: made.title, value: made };
  }
</script>

<ListEditor
  chosen={chosen()}
  {choices}
  {label}
  {oncommit}
  {oncancel}
  oncreate={type.kind === 'options' && !type.open ? undefined : create}
/>
<EditorProblem {problem} />
