<script lang="ts">
  import type { Field, Model, Table } from '$core/model/model';
  import { isoDate } from '$core/values/date';
  import { gazetteer } from '$core/values/gazetteer';
  import Combo, { type Choice } from '../controls/Combo.svelte';
  import ButtonsEditor from '../editors/ButtonsEditor.svelte';
  import Calendar from '../editors/Calendar.svelte';
  import FilesEditor from '../editors/FilesEditor.svelte';
  import { linkChoices, makeTarget, peopleChoices, type LinkPlace } from '../editors/linkChoices';
  import ListEditor, { type ListChoice } from '../editors/ListEditor.svelte';
  import StarsEditor from '../editors/StarsEditor.svelte';
  import { useFrame } from '../frame/context';
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

  const frame = useFrame();
  const type = $derived(field.type);
  const place = $derived<LinkPlace>({ workspace, model, table, field, record, draft, mayMake: true });
  const zone = frame.workspace.zone;
  const today = new Date().toISOString().slice(0, 10);
  // svelte-ignore state_referenced_locally
  let typed = $state(start ?? editText(value, field.type, zone));
  let calendar = $state<ReturnType<typeof Calendar> | null>(null);
  let done = false;
  const dayTyped = $derived.by(() => {
    const [, y, m, d] = /^(\d{4})-(\d{1,2})-(\d{1,2})/.exec(typed) ?? [];
    return y ? isoDate(Number(y), Number(m), Number(d)) : null;
  });

  /** What was typed as the API takes it: a share without its sign is meant in hundredths, as it is shown. */
  function written(): string | null {
    const text = typed.trim();
    if (text === '') return null;
    return (type.kind === 'percent' || type.kind === 'progress') && !text.endsWith('%') ? `${text} %` : typed;
  }

  function finish(event: KeyboardEvent) {
    if ((type.kind === 'date' || type.kind === 'dateTime') && (event.altKey || event.key.startsWith('Page')) && calendar) {
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
      done = true;
      oncommit(written(), event.key, event.shiftKey);
    } else if (type.kind === 'longText') event.stopPropagation();
  }

  /** Leaving the cell by the pointer keeps what was typed, as Enter does. */
  function left() {
    if (!done && typed !== editText(value, type, zone)) oncommit(written());
    else if (!done) oncancel();
    done = true;
  }

  function pick(day: string, close = true) {
    typed = type.kind === 'dateTime' ? `${day} ${/\d{1,2}:\d{2}.*$/.exec(typed)?.[0] ?? '12:00'}` : day;
    if (!close || type.kind === 'dateTime') return;
    done = true;
    oncommit(typed, 'Enter');
  }

  const matching = (words: readonly string[], text: string) => words.filter((word) => word.toLowerCase().includes(text.toLowerCase()));

  async function choices(text: string): Promise<readonly Choice[]> {
    switch (type.kind) {
      case 'option':
        return type.options
          .filter(({ label, retired }) => !retired && label.toLowerCase().includes(text.toLowerCase()))
          .map(({ label }) => ({ label, value: label }));
      case 'yesNo':
        return ['yes', 'no'].filter((word) => word.startsWith(text.toLowerCase())).map((label) => ({ label, value: label === 'yes' }));
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

  async function chosen(choice: Choice | null, text: string, event?: KeyboardEvent) {
    const picked = choice?.value;
    if (typeof picked === 'object' && picked !== null && 'make' in picked) {
      const made = await makeTarget(place, String(picked.make));
      // What was typed stays, to be corrected.
      if ('problem' in made) return frame.notices.refused({ message: made.problem });
      return oncommit(made, event?.key, event?.shiftKey);
    }
    oncommit(choice ? choice.value : text === '' ? null : text, event?.key, event?.shiftKey);
  }

  async function listed(text: string): Promise<readonly ListChoice[]> {
    if (type.kind === 'options')
      return type.options
        .filter(({ label, retired }) => !retired && label.toLowerCase().includes(text.toLowerCase()))
        .map(({ label }) => ({ label, value: label }));
    const found = await linkChoices({ ...place, mayMake: false }, text);
    return found.flatMap((one) => ('id' in one.value ? [{ label: one.label, about: one.about, value: one.value }] : []));
  }

  const startList = (): ListChoice[] =>
    (Array.isArray(value) ? value : []).map((one: unknown) =>
      typeof one === 'string' ? { label: one, value: one } : { label: (one as { title: string }).title, value: one },
    );

  async function create(text: string): Promise<ListChoice | null> {
    if (type.kind === 'options') return type.open ? { label: text, value: text } : null;
    const made = await makeTarget(place, text);
    if ('problem' in made) frame.notices.refused({ message: made.problem });
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
  <ButtonsEditor options={type.options} {value} {start} label={field.label} several={type.kind === 'options'} {oncommit} {oncancel} />
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
    start={start ?? editText(value, type, zone)}
    begun={start !== null}
    {choices}
    label={field.label}
    {oncancel}
    oncommit={(choice, text, event) => void chosen(choice, text, event)}
  />
{:else if type.kind === 'rating'}
  <StarsEditor value={start && /^\d$/.test(start) ? start : value} most={type.most} label={field.label} {oncommit} {oncancel} />
{:else if type.kind === 'files' || type.kind === 'pictures'}
  <FilesEditor {workspace} {value} pictures={type.kind === 'pictures'} label={field.label} {oncommit} {oncancel} />
{:else if type.kind === 'longText'}
  <textarea {@attach focus} bind:value={typed} onkeydown={finish} onblur={left} aria-label={field.label} rows="6" title="Ctrl+Enter keeps it"></textarea>
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

<style>
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
