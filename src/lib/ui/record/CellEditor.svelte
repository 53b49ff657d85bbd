<script lang="ts">
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { linkedTable } from '$core/model/model';
  import type { Problem } from '$core/problem';
  import { gazetteer } from '$core/fieldTypes/gazetteer';
  import { valueJson, parseValue, plainReading, type EnteredType } from '$core/fieldTypes/registry';
  import { readTyped, typedText } from '$core/fieldTypes/typed';
  import Combo, { type Choice } from '../controls/Combo.svelte';
  import ButtonsEditor from '../editors/ButtonsEditor.svelte';
  import Calendar from '../editors/Calendar.svelte';
  import FilesEditor from '../editors/FilesEditor.svelte';
  import { linkChoices, makeTarget, peopleChoices, type LinkPlace } from '../editors/linkChoices';
  import ListEditor, { type ListChoice } from '../editors/ListEditor.svelte';
  import StarsEditor from '../editors/StarsEditor.svelte';
  import { Later, type Settled } from '../editors/later';
  import { useFrame } from '../frame/context';
  import { habit } from '../values/habit';
  import { editText } from '../values/show';

  /** The editor that fits a field's type. Gives JSON values as the API takes them; the API says what does not fit. */
  const {
    workspace,
    model,
    table,
    field,
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
    oncommit: (value: unknown, key?: string, back?: boolean) => void;
    oncancel: () => void;
  } = $props();

  /** The text an editor begins with, in the person's own way of writing. */
  function beginning(stored: unknown, { type: kind }: Field, zone: string): string {
    const plain =
      ['number', 'percent', 'progress'].includes(kind.kind) || (kind.kind === 'money' && kind.currency !== null);
    return plain && (typeof stored === 'number' || typeof stored === 'string')
      ? typedText(String(stored), kind as EnteredType, habit())
      : editText(stored, kind, zone);
  }

  const frame = useFrame();
  const type = $derived(field.type);
  const place = $derived<LinkPlace>({ workspace, model, table, field, record, draft, mayMake: true });
  const zone = frame.workspace.zone;
  const today = new Date().toISOString().slice(0, 10);
  // svelte-ignore state_referenced_locally
  const begun = beginning(value, field, zone);
  // svelte-ignore state_referenced_locally
  let typed = $state(start ?? begun);
  /** Why what was typed is no value; it stays to be corrected. */
  let problem = $state.raw<Problem | null>(null);
  let calendar = $state<ReturnType<typeof Calendar> | null>(null);
  let done = false;
  const dayTyped = $derived.by(() => {
    const day = readTyped(typed.replace(/[ T]\d{1,2}:\d{2}.*$/, ''), { kind: 'date' }, habit());
    return day.ok && day.value !== null ? String(day.value) : null;
  });

  /** What was typed as the value that it is for the field, read as files and pasted cells are. */
  function read(): Settled {
    const entered = type as EnteredType;
    const found = readTyped(typed, entered, habit(), { zone });
    return found.ok ? { ok: true, value: valueJson(entered, found.value) } : found;
  }

  function finish(event: KeyboardEvent) {
    if (
      (type.kind === 'date' || type.kind === 'dateTime') &&
      (event.altKey || event.key.startsWith('Page')) &&
      calendar
    ) {
      const moved = calendar.walk(event.key);
      if (moved) {
        pick(moved, false);
        event.preventDefault();
        event.stopPropagation();
        return;
      }
    }
    if (event.key === 'Escape') {
      done = true;
      event.stopPropagation();
      oncancel();
    } else if ((event.key === 'Enter' && !(type.kind === 'longText' && !event.ctrlKey)) || event.key === 'Tab') {
      event.preventDefault();
      event.stopPropagation();
      const found = read();
      if (!found.ok) return void (problem = found.problem);
      done = true;
      oncommit(found.value, event.key, event.shiftKey);
    } else if (type.kind === 'longText') event.stopPropagation();
  }

  /**
   * Leaving the cell by the pointer keeps what was typed, as Enter does; what is no value is kept beside, with its
   * reason.
   */
  function left() {
    if (done) return;
    done = true;
    if (typed === begun) return oncancel();
    const found = read();
    oncommit(found.ok ? found.value : Later.refused(typed, found.problem));
  }

  function pick(day: string, close = true) {
    typed = type.kind === 'dateTime' ? `${day} ${/\d{1,2}:\d{2}.*$/.exec(typed)?.[0] ?? '12:00'}` : day;
    if (!close || type.kind === 'dateTime') return;
    done = true;
    oncommit(typed, 'Enter');
  }

  const matching = (words: readonly string[], text: string) =>
    words.filter((word) => word.toLowerCase().includes(text.toLowerCase()));

  async function choices(text: string): Promise<readonly Choice[]> {
    switch (type.kind) {
      case 'option': {
        const there = type.options
          .filter(({ label, retired }) => !retired && label.toLowerCase().includes(text.toLowerCase()))
          .map(({ label }) => ({ label, value: label }));
        const isNew =
          type.open &&
          text.trim() !== '' &&
          !there.some(({ label }) => label.toLowerCase() === text.trim().toLowerCase());
        // A word that is not in an open list yet is what was typed, not the one that is nearest.
        return isNew ? [{ label: text.trim(), value: text.trim(), about: 'new in the list' }, ...there] : there;
      }
      case 'yesNo':
        return ['yes', 'no']
          .filter((word) => word.startsWith(text.toLowerCase()))
          .map((label) => ({ label, value: label === 'yes' }));
      case 'place':
        return matching(
          gazetteer.map(({ name }) => name),
          text,
        )
          .slice(0, 12)
          .map((label) => ({ label, value: label, about: gazetteer.find(({ name }) => name === label)?.latitude }));
      case 'member':
        return peopleChoices(workspace, text);
      case 'link':
        return linkChoices(place, text);
      default:
        return [];
    }
  }

  /** What a text is for the field where nothing of the list was chosen: nothing is ever made of it. */
  function unlisted(text: string): Settled {
    if (text === '') return { ok: true, value: null };
    if (type.kind === 'option' && type.open) return { ok: true, value: text };
    if (type.kind === 'link' || type.kind === 'member') {
      const where = type.kind === 'link' ? (linkedTable(model, field)?.table.label ?? '') : 'the Directory';
      return {
        ok: false,
        problem: { message: `Nothing in ${where} is called “${text}”.`, fix: 'Choose one of the list, or correct it.' },
      };
    }
    const found = parseValue(text, type as EnteredType, { ...plainReading, zone });
    return found.ok ? { ok: true, value: valueJson(type, found.value) } : found;
  }

  async function chosen(
    choice: Choice | null,
    text: string,
    event?: KeyboardEvent,
    later?: Promise<Choice | undefined>,
  ) {
    const picked = choice?.value;
    if (typeof picked === 'object' && picked !== null && 'make' in picked) {
      const made = await makeTarget(place, String(picked.make));
      // What was typed stays, to be corrected.
      if ('problem' in made) return void (problem = { message: made.problem });
      return oncommit(made, event?.key, event?.shiftKey);
    }
    if (choice) return oncommit(choice.value, event?.key, event?.shiftKey);
    if (later) {
      const settled = later.then((meant): Settled => (meant ? { ok: true, value: meant.value } : unlisted(text)));
      return oncommit(new Later(text, settled), event?.key, event?.shiftKey);
    }
    const found = unlisted(text);
    if (found.ok) oncommit(found.value, event?.key, event?.shiftKey);
    else problem = found.problem;
  }

  async function listed(text: string): Promise<readonly ListChoice[]> {
    if (type.kind === 'options')
      return type.options
        .filter(({ label, retired }) => !retired && label.toLowerCase().includes(text.toLowerCase()))
        .map(({ label }) => ({ label, value: label }));
    const found = await linkChoices({ ...place, mayMake: false }, text);
    problem = null;
    return found.flatMap((one) =>
      'id' in one.value ? [{ label: one.label, about: one.about, value: one.value }] : [],
    );
  }

  const startList = (): ListChoice[] =>
    (Array.isArray(value) ? value : []).map((one: unknown) =>
      typeof one === 'string' ? { label: one, value: one } : { label: (one as { title: string }).title, value: one },
    );

  async function create(text: string): Promise<ListChoice | null> {
    if (type.kind === 'options') return type.open ? { label: text, value: text } : null;
    const made = await makeTarget(place, text);
    if ('problem' in made) problem = { message: made.problem };
    return 'problem' in made ? null : { label: made.title, value: made };
  }

  const focus = (node: HTMLInputElement | HTMLTextAreaElement) => {
    node.focus();
    if (start === null) node.select();
  };
  const decimal = $derived(['number', 'money', 'percent', 'progress'].includes(type.kind));
  const shape = $derived(
    (
      {
        date: 'year-month-day',
        dateTime: 'year-month-day hours:minutes',
        duration: 'hours:minutes',
        money: type.kind === 'money' ? `0.00 ${type.currency ?? 'EUR'}` : '',
        url: 'https://',
        email: 'name@…',
      } as Partial<Record<string, string>>
    )[type.kind],
  );
</script>

{#if (type.kind === 'option' || type.kind === 'options') && type.entry === 'buttons' && !type.open}
  <ButtonsEditor
    options={type.options}
    {value}
    {start}
    label={field.label}
    several={type.kind === 'options'}
    {oncommit}
    {oncancel}
  />
{:else if type.kind === 'options' || type.kind === 'counterpart'}
  <ListEditor
    chosen={startList()}
    choices={listed}
    label={field.label}
    {oncommit}
    {oncancel}
    oncreate={type.kind === 'options' && !type.open ? undefined : create}
  />
{:else if ['option', 'yesNo', 'link', 'member', 'place'].includes(type.kind)}
  <Combo
    start={start ?? begun}
    begun={start !== null}
    {choices}
    label={field.label}
    {oncancel}
    oncommit={(choice, text, event, later) => void chosen(choice, text, event, later)}
  />
{:else if type.kind === 'rating'}
  <StarsEditor
    value={start && /^\d$/.test(start) ? start : value}
    most={type.most}
    label={field.label}
    {oncommit}
    {oncancel}
  />
{:else if type.kind === 'files' || type.kind === 'pictures'}
  <FilesEditor {workspace} {value} pictures={type.kind === 'pictures'} label={field.label} {oncommit} {oncancel} />
{:else if type.kind === 'longText'}
  <textarea
    {@attach focus}
    bind:value={typed}
    onkeydown={finish}
    onblur={left}
    aria-label={field.label}
    rows="6"
    title="Ctrl+Enter keeps it"
  ></textarea>
{:else if type.kind === 'progress'}
  <span class="progress">
    <input
      {@attach focus}
      type="text"
      inputmode="decimal"
      bind:value={typed}
      onkeydown={finish}
      onblur={(event) => !(event.relatedTarget as Element | null)?.matches('[type=range]') && left()}
      aria-label={field.label}
    />
    <input
      type="range"
      min="0"
      max="100"
      step="5"
      value={Number.parseFloat(typed) || 0}
      aria-label="{field.label}, by sliding"
      oninput={(event) => (typed = `${event.currentTarget.value} %`)}
      onkeydown={finish}
      onblur={left}
    />
  </span>
{:else}
  <span class="holder">
    <input
      {@attach focus}
      type="text"
      placeholder={shape ?? field.placeholder}
      inputmode={decimal ? 'decimal' : undefined}
      bind:value={typed}
      oninput={() => (problem = null)}
      aria-invalid={problem !== null}
      onkeydown={finish}
      onblur={left}
      aria-label={field.label}
      title={type.kind === 'date' || type.kind === 'dateTime' ? 'Alt+arrows walk through days' : undefined}
      class:number={decimal}
    />
    {#if type.kind === 'date' || type.kind === 'dateTime'}
      {#key dayTyped}<Calendar bind:this={calendar} day={dayTyped} {today} onpick={pick} />{/key}
    {/if}
  </span>
{/if}
{#if problem}<p class="why" role="alert"><b>{problem.message}</b> {problem.fix ?? ''}</p>{/if}

<style>
  .why {
    position: absolute;
    top: 100%;
    left: 0;
    z-index: 20;
    width: max-content;
    max-width: 320px;
    padding: 4px 8px;
    line-height: 1.35;
    white-space: normal;
    text-align: left;
    background: var(--madder-tint);
    border-left: 3px solid var(--madder);
  }
  .holder,
  .progress {
    position: relative;
    display: flex;
    width: 100%;
    height: 100%;
  }
  input,
  textarea {
    width: 100%;
    height: 100%;
    padding: 3px 8px;
    font: inherit;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  textarea {
    position: absolute;
    z-index: 15;
    min-width: 320px;
    height: auto;
    line-height: 1.4;
    white-space: pre-wrap;
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  .progress input:first-child {
    width: 70px;
    flex: none;
  }
  .number {
    text-align: right;
  }
</style>
