<script lang="ts">
  import { draggable, dropTargetForElements } from '@atlaskit/pragmatic-drag-and-drop/element/adapter';
  import ChevronLeft from '@lucide/svelte/icons/chevron-left';
  import ChevronRight from '@lucide/svelte/icons/chevron-right';
  import { untrack, type Snippet } from 'svelte';
  import { isEntered, valueTypeOf } from '$core/model/model';
  import type { Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { dayNumber } from '$core/fieldTypes/date';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { editText } from '../values/show';
  import { daysShown, plusDays, turned, weekPieces, type CalendarSpan, type Dated } from './calendarDays';
  import type { ShownRecord } from '../records/recordSet.svelte';

  /**
   * Records on their days, by month or week; those of several days run across them. One moved to another day takes its
   * last day along.
   */
  const {
    workspace,
    table,
    fields,
    filter,
    marks,
    by,
    until,
    dyes,
    selected,
    mayEdit,
    heard,
    titleOf,
    onselect,
    onwrite,
    onnew,
    extra,
  }: {
    workspace: string;
    table: Table;
    /** Keys of the fields that are shown. */
    fields: string;
    filter: string;
    marks: readonly string[];
    by: Field;
    until: Field | null;
    dyes: readonly string[];
    selected: number | null;
    mayEdit: boolean;
    heard: number;
    titleOf: (record: ShownRecord) => string;
    onselect: (record: ShownRecord) => void;
    onwrite: (record: ShownRecord, values: Readonly<Record<string, unknown>>) => Promise<void>;
    /** Makes a record on a day. */
    onnew: (day: string) => void;
    /** Stands at the end of the head. */
    extra?: Snippet;
  } = $props();
  const { workspace: here } = useFrame();
  const most = 1000;
  const weekdays = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
  const today = new Date().toISOString().slice(0, 10);
  let span = $state<CalendarSpan>('month');
  let at = $state(today);
  let records = $state.raw<readonly ShownRecord[]>([]);
  let cut = $state(false);
  let problem = $state<string | null>(null);
  let over = $state<string | null>(null);
  let carried = $state<ShownRecord | null>(null);
  let asked = 0;
  let latest = $state<string | null>(null);

  const days = $derived(daysShown(at, span));
  const weeks = $derived(Array.from({ length: days.length / 7 }, (_, index) => days.slice(index * 7, index * 7 + 7)));
  const mayMove = $derived(mayEdit && isEntered(by));
  const instants = $derived(valueTypeOf(by).is === 'timestamp');
  const dayOf = (record: ShownRecord, field: Field): string | null => {
    const text = editText(record.values[field.key], field.type, here.zone).slice(0, 10);
    return /^\d{4}-\d\d-\d\d$/.test(text) ? text : null;
  };
  const dated = $derived(
    records.flatMap((record): Dated<ShownRecord>[] => {
      const from = dayOf(record, by);
      return from ? [{ record, from, to: (until && dayOf(record, until)) ?? from }] : [];
    }),
  );

  async function read() {
    const mine = ++asked;
    const [first, last] = [days[0] ?? at, days.at(-1) ?? at];
    const upper = plusDays(last, 1);
    const end = until ? `coalesce(${until.key}, ${by.key})` : by.key;
    const literal = (day: string) => (instants ? `timestamp '${day} 00:00'` : `date '${day}'`);
    const within = `${by.key} < ${literal(upper)} and ${end} >= ${literal(first)}`;
    const query = new URLSearchParams({
      fields: [...new Set([...fields.split(','), by.key, ...(until ? [until.key] : [])])].join(','),
      filter: filter ? `(${filter}) and (${within})` : within,
      sort: by.key,
      limit: String(most),
      ...(marks.length > 0 ? { marks: JSON.stringify(marks) } : {}),
    });
    const answer = await call<{ items: ShownRecord[]; next: string | null }>(
      'GET',
      workspacePath(workspace, `/tables/${table.key}/records?${query}`),
    );
    if (mine !== asked) return;
    if (!answer.ok) return void (problem = [answer.problem.message, answer.problem.fix].filter(Boolean).join(' '));
    [records, cut, problem] = [answer.value.items, answer.value.next !== null, null];
    latest = records.length > 0 ? null : await latestDay();
  }

  /** Where the latest record stands, for days that have none. */
  async function latestDay(): Promise<string | null> {
    const query = new URLSearchParams({
      fields: by.key,
      filter: `${filter ? `(${filter}) and ` : ''}${by.key} is not null`,
      sort: `-${by.key}`,
      limit: '1',
    });
    const answer = await call<{ items: ShownRecord[] }>(
      'GET',
      workspacePath(workspace, `/tables/${table.key}/records?${query}`),
    );
    const [last] = answer.ok ? answer.value.items : [];
    return last ? dayOf(last, by) : null;
  }

  $effect(() => {
    const shown = [days, filter, fields, by, until, marks, heard];
    if (shown) untrack(() => void read());
  });

  /** Gives a record another first day; its last day moves as far. */
  async function move(record: ShownRecord, day: string) {
    const from = dayOf(record, by);
    if (!from || from === day || !mayMove) return;
    const shift = dayNumber(day) - dayNumber(from);
    const moved = (field: Field) => {
      const text = editText(record.values[field.key], field.type, here.zone);
      return text === '' ? null : plusDays(text.slice(0, 10), shift) + text.slice(10);
    };
    await onwrite(record, { [by.key]: moved(by), ...(until && isEntered(until) ? { [until.key]: moved(until) } : {}) });
  }

  /** The title, and the first other field that tells records of one title apart. */
  const nameOf = (record: ShownRecord) => {
    const other = fields
      .split(',')
      .filter((key) => key !== by.key && key !== until?.key)
      .map((key) =>
        table.fields.find(
          (field) => field.key === key && field.id !== table.title && field.type.kind !== 'counterpart',
        ),
      )
      .find((field) => field && editText(record.values[field.key]) !== '');
    return other
      ? `${titleOf(record)} · ${editText(record.values[other.key], other.type, here.zone)}`
      : titleOf(record);
  };

  const takes = (day: string) => (node: HTMLElement) =>
    dropTargetForElements({
      element: node,
      canDrop: ({ source }) => typeof source.data.dated === 'number',
      onDragEnter: () => (over = day),
      onDragLeave: () => (over = over === day ? null : over),
      onDrop: ({ source }) => {
        over = null;
        const record = records.find(({ id }) => id === source.data.dated);
        if (record) void move(record, day);
      },
    });
  const moves = (id: number) => (node: HTMLElement) =>
    mayMove ? draggable({ element: node, getInitialData: () => ({ dated: id }) }) : undefined;

  /** Arrows walk through the days; a record that was taken up with “m” goes with them and is put down by Enter. */
  function key(event: KeyboardEvent) {
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 7, ArrowUp: -7 }[event.key];
    const onDay = dated.filter(({ from, to }) => from <= at && to >= at).map(({ record }) => record);
    if (step !== undefined) at = plusDays(at, step);
    else if (event.key === 'PageDown' || event.key === 'PageUp')
      at = turned(at, span, event.key === 'PageDown' ? 1 : -1);
    else if (event.key === 'Home') at = today;
    else if (event.key === 'Escape' && carried) carried = null;
    else if (event.key === 'm' && mayMove)
      carried =
        onDay[(onDay.findIndex(({ id }) => id === (carried?.id ?? selected)) + 1) % Math.max(1, onDay.length)] ?? null;
    else if (event.key === 'Enter' && carried) {
      void move(carried, at);
      carried = null;
    } else if (event.key === 'Enter' && onDay[0])
      onselect(onDay[(onDay.findIndex(({ id }) => id === selected) + 1) % onDay.length] ?? onDay[0]);
    else if (event.key === 'n' && mayEdit) onnew(at);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
  const monthName = (day: string) =>
    new Date(`${day}T12:00:00Z`).toLocaleDateString('en', { month: 'long', year: 'numeric', timeZone: 'UTC' });
</script>

<div class="calendar">
  <header>
    <button aria-label="The {span} before" title="Page up" onclick={() => (at = turned(at, span, -1))}
      ><ChevronLeft size={18} /></button
    >
    <button aria-label="The {span} after" title="Page down" onclick={() => (at = turned(at, span, 1))}
      ><ChevronRight size={18} /></button
    >
    <h2>{span === 'month' ? monthName(at) : `week of ${days[0] ?? ''}`}</h2>
    <Button kind="quiet" title="Home" onclick={() => (at = today)}>Today</Button>
    <span class="note" role="status"
      >{carried
        ? `${titleOf(carried)} taken up: arrows to a day, Enter puts it down`
        : cut
          ? `The first ${most.toLocaleString()} records of these days.`
          : ''}</span
    >
    {#if latest}<span class="none"
        >Nothing on these days. <button onclick={() => (at = latest ?? at)}>To the latest, {latest}</button></span
      >{/if}
    <select class="in-line" aria-label="How much is shown" bind:value={span}
      ><option value="month">by month</option><option value="week">by week</option></select
    >
    {@render extra?.()}
  </header>
  {#if problem}<p class="refused" role="alert">{problem}</p>{/if}
  <div class="names" aria-hidden="true">
    {#each weekdays as name (name)}<span>{name}</span>{/each}
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
  <div
    class="weeks"
    role="application"
    aria-label="Calendar of {table.label}: arrows walk through the days, Enter opens, m takes a record up, n makes one"
    tabindex="0"
    onkeydown={key}
  >
    {#each weeks as week (week[0])}
      {@const pieces = weekPieces(dated, week[0] ?? at)}
      {@const lines = Math.max(span === 'week' ? 16 : 3, ...pieces.map(({ line }) => line + 1))}
      <div class="week" style:--lines={lines}>
        {#each week as day, column (day)}
          <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
          <div
            {@attach takes(day)}
            class="day"
            class:other={span === 'month' && day.slice(0, 7) !== at.slice(0, 7)}
            class:today={day === today}
            class:at={day === at}
            class:over={over === day}
            style:grid-column={column + 1}
            onclick={() => (at = day)}
            ondblclick={() => mayEdit && onnew(day)}
          >
            <span>{Number(day.slice(8))}</span>
          </div>
        {/each}
        {#each pieces as { record, column, days: length, line, fromBefore, goesOn } (record.id)}
          {@const id = record.id}
          <button
            {@attach moves(id)}
            class="piece"
            class:before={fromBefore}
            class:on={goesOn}
            class:selected={record.id === selected || record.id === carried?.id}
            tabindex="-1"
            style:grid-column="{column + 1} / span {length}"
            style:grid-row={line + 2}
            style:--edge="var(--dye-{record.mark == null ? table.dye : (dyes[record.mark] ?? table.dye)})"
            onclick={() => onselect(record)}>{nameOf(record)}</button
          >
        {/each}
      </div>
    {/each}
  </div>
</div>

<style>
  .calendar {
    position: relative;
    display: flex;
    flex: 1;
    flex-direction: column;
    min-height: 0;
    background: var(--raised);
  }
  header {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 6px 12px;
    font-size: 13px;
  }
  header > button {
    padding: 3px;
    border-radius: 3px;
  }
  h2 {
    min-width: 150px;
    font-size: 16px;
  }
  .note {
    flex: 1;
    color: var(--weld);
  }
  .none {
    color: var(--ink-soft);
  }
  .none button {
    color: var(--woad);
    text-decoration: underline;
  }
  .refused {
    padding: 4px 14px;
    color: var(--madder);
  }
  .names,
  .week {
    display: grid;
    grid-template-columns: repeat(7, minmax(0, 1fr));
  }
  .names {
    padding: 2px 0;
    color: var(--ink-soft);
    font-size: 12px;
    border-bottom: 1px solid var(--line-strong);
  }
  .names span {
    padding-left: 8px;
  }
  .weeks {
    display: flex;
    flex: 1;
    flex-direction: column;
    overflow: auto;
  }
  .weeks:focus {
    outline: none;
  }
  .week {
    position: relative;
    flex: 1 0 auto;
    grid-template-rows: 22px repeat(var(--lines), 22px);
    min-height: 96px;
    border-bottom: 1px solid var(--line);
  }
  .day {
    grid-row: 1 / -1;
    padding: 2px 8px;
    color: var(--ink-soft);
    font-size: 12px;
    font-variant-numeric: tabular-nums;
    border-right: 1px solid var(--line);
  }
  .other {
    color: var(--ink-faint);
    background: var(--ground);
  }
  .today span {
    padding: 0 5px;
    font-weight: 600;
    color: var(--woad-ink);
    background: var(--woad);
    border-radius: 3px;
  }
  .weeks:focus-visible .at {
    outline: 2px solid var(--woad);
    outline-offset: -2px;
  }
  .over {
    background: var(--woad-tint);
  }
  .piece {
    z-index: 1;
    height: 20px;
    padding: 0 8px;
    margin: 0 3px;
    overflow: hidden;
    font-size: 12px;
    text-align: left;
    text-overflow: ellipsis;
    white-space: nowrap;
    background: var(--sunken);
    border-left: 4px solid var(--edge);
    border-radius: 2px;
  }
  .piece.before {
    margin-left: 0;
    border-left-style: dotted;
  }
  .piece.on {
    margin-right: 0;
    border-radius: 2px 0 0 2px;
  }
  .piece:hover,
  .selected {
    background: var(--woad-tint);
  }
  .selected {
    outline: 1px solid var(--woad);
  }
</style>
