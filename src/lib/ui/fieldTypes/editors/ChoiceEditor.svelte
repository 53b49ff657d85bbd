<script lang="ts">
  import type { Problem } from '$core/base/problem';
  import { parseValue, plainReading, valueJson, type EnteredType } from '$core/fieldTypes/registry';
  import Combo, { type Choice } from '../../controls/Combo.svelte';
  import type { EditorProps } from '../kind';
  import EditorProblem from './EditorProblem.svelte';
  import { Later, type Settled } from './later';
  import { makeTarget } from './linkChoices';

  /** One of a list that is found by what is typed. */
  const {
    choices,
    unlisted,
    ...editing
  }: EditorProps & {
    choices: (typed: string) => Promise<readonly Choice[]>;
    /** What a text is where nothing of the list was chosen; null has it read as files are. */
    unlisted: (typed: string) => Settled | null;
  } = $props();
  let problem = $state.raw<Problem | null>(null);

  function meant(text: string): Settled {
    if (text === '') return { ok: true, value: null };
    const said = unlisted(text);
    if (said) return said;
    const type = editing.place.field.type as EnteredType;
    const found = parseValue(text, type, { ...plainReading, zone: editing.zone });
    return found.ok ? { ok: true, value: valueJson(type, found.value) } : found;
  }

  async function chosen(
    choice: Choice | null,
    text: string,
    event?: KeyboardEvent,
    later?: Promise<Choice | undefined>,
  ): Promise<void> {
    const commit = (value: unknown) => editing.oncommit(value, event?.key, event?.shiftKey);
    const picked = choice?.value;
    if (typeof picked === 'object' && picked !== null && 'make' in picked) {
      const made = await makeTarget(editing.place, String(picked.make));
      // What was typed stays, to be corrected.
      if ('problem' in made) return void (problem = { message: made.problem });
      return commit(made);
    }
    if (choice) return commit(choice.value);
    if (later)
      return commit(
        new Later(
          text,
          later.then((one): Settled => (one ? { ok: true, value: one.value } : meant(text))),
        ),
      );
    const found = meant(text);
    if (found.ok) commit(found.value);
    else problem = found.problem;
  }
</script>

<Combo
  start={editing.start ?? editing.begun}
  begun={editing.start !== null}
  {choices}
  label={editing.place.field.label}
  oncancel={editing.oncancel}
  oncommit={(choice, text, event, later) => void chosen(choice, text, event, later)}
/>
<EditorProblem {problem} />
