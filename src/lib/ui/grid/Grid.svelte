<script lang="ts">
  import { own } from '$core/base/own';
  import { keepFocus } from './keepFocus';
  import { innerHeight } from 'svelte/reactivity/window';
  import { tick, untrack } from 'svelte';
  import { isTypedInto } from '$core/flow/feeds';
  import { isEntered } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import type { RowLines } from '$core/types/view';
  import { type GroupLayout, groupName } from '$core/query/groupLayout';
  import { useFrame } from '../frame/context';
  import CellValue from '../values/CellValue.svelte';
  import TypedValue from '../values/TypedValue.svelte';
  import { editText, isCalculated } from '../values/show';
  import CellEditor from '../record/CellEditor.svelte';
  import { textAsCells } from './clipboard';
  import type { ColumnChange } from './columnChange';
  import GridCell from './GridCell.svelte';
  import GridFoot from './GridFoot.svelte';
  import GridHead from './GridHead.svelte';
  import { columnsInSight, rowHeights, ScrollScale, type GridColumn } from './gridGeometry';
  import GroupHead from './GroupHead.svelte';
  import UnsavedNote from '../records/UnsavedNote.svelte';
  import { namedRecords, type RecordName } from '../record/linked';
  import type { PendingRecord, PendingRecords } from './pendingRecords.svelte';
  import type { RecordSet, ShownRecord } from '../records/recordSet.svelte';
  import { GridSelection, keyLeads, type CellRange } from './selection.svelte';
  import type { ShownGroup, ShownTotals } from '../view/totals.svelte';

  /**
   * Records as a grid (WAI-ARIA grid pattern): only the rows and columns in sight are drawn; everything by keyboard.
   */
  const {
    workspace,
    model,
    table,
    set,
    layout,
    columns: given,
    lines: rowLines,
    sort,
    totals,
    dyes,
    folded,
    mayEdit,
    mayEnter = mayEdit,
    selected,
    preset,
    onat,
    onselect,
    onedit,
    onclear,
    oncopy,
    onpaste,
    onfill,
    pending,
    ontype,
    onsort,
    oncolumn,
    onmenu,
    onfold,
    onremove,
    ontrace,
    onlinked,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    set: RecordSet;
    layout: GroupLayout<ShownGroup>;
    columns: readonly GridColumn[];
    lines: RowLines;
    sort: string;
    totals: ShownTotals | null;
    /** The colours of the view, by the place of their condition. */
    dyes: readonly string[];
    folded: ReadonlySet<string>;
    mayEdit: boolean;
    /** Whether records can be made in the last row; as they can be changed, where nothing is said. */
    mayEnter?: boolean;
    selected: number | null;
    /** What a record made in the last row begins with. */
    preset: Readonly<Record<string, unknown>>;
    /** Which record and field one is on, for others to see. */
    onat?: (record: number | null, field: string | null) => void;
    onselect: (record: ShownRecord, open: boolean) => void;
    onedit: (record: ShownRecord, field: Field, value: unknown) => void;
    onclear: (range: CellRange) => void;
    /** The cells of a range are wanted on the clipboard. */
    oncopy: (range: CellRange, clipboard: DataTransfer | null) => void;
    /** Cells from the clipboard, for the range that is chosen. */
    onpaste: (range: CellRange, cells: readonly (readonly string[])[]) => void;
    onfill: (range: CellRange, how: 'down' | 'series') => void;
    /** Records that were typed and are not saved yet; they stand behind those that are. */
    pending: PendingRecords;
    /** A record was typed into the last row. */
    ontype: (values: Readonly<Record<string, unknown>>) => void;
    onsort: (key: string) => void;
    oncolumn: (change: ColumnChange) => void;
    onmenu: (column: number, opener: HTMLElement) => void;
    /** `all`: every group of its level with it. */
    onfold: (group: ShownGroup, all: boolean) => void;
    onremove: (range: CellRange) => void;
    /** Says how a calculated value came about. */
    ontrace: (record: ShownRecord, field: Field) => void;
    /** Shows beside what a cell names. */
    onlinked: (record: ShownRecord, table: Table, named: RecordName) => void;
  } = $props();

  const frame = useFrame();
  const overscan = 6;
  const footHeight = 30;
  let scroller = $state<HTMLElement | null>(null);
  let height = $state(600);
  let width = $state(900);
  let left = $state(0);
  let bar = $state(0);
  /** The first pixel of all lines that is in sight. */
  let top = $state(0);
  const chosen = new GridSelection();
  /**
   * What is being edited: the record as it was when one began, as rows can move meanwhile; null for the one that is yet
   * to be made.
   */
  /**
   * What is edited, by itself, as lines move meanwhile: a record, one that is not saved yet, or the row one types into.
   */
  interface Editing {
    readonly line: number;
    readonly column: number;
    /** What the editor begins with: what was typed to open it, and since then what stands in it. */
    start: string | null;
    readonly record: ShownRecord | null;
    readonly waits: string | null;
  }
  let editing = $state.raw<Editing | null>(null);
  let resizing = $state<{ column: number; width: number } | null>(null);
  /** What was typed into the last row and is no record yet. */
  let draft = $state.raw<Readonly<Record<string, unknown>>>({});
  let pulling = false;

  const columns = $derived.by(() => {
    if (!resizing) return given;
    const { column: at, width: wide } = resizing;
    const more = wide - (given[at]?.width ?? wide);
    return given.map((column, index) =>
      index < at ? column : index === at ? { ...column, width: wide } : { ...column, left: column.left + more },
    );
  });
  const all = $derived(columns.reduce((sum, column) => sum + column.width, 0));
  const still = $derived(columns.filter(({ frozen }) => frozen));
  const sight = $derived(columnsInSight(columns, left, width));
  const beside = $derived(columns.slice(sight.first, sight.end));
  const rowHeight = $derived(rowHeights[rowLines]);
  const fresh = $derived(set.fresh.length);
  // Like the row for typing below them they come with the first records, and stand behind all of them from the start.
  const waiting = $derived(set.opened ? pending.of(table.id) : []);
  const savedLines = $derived(layout.lines + fresh);
  const recordLines = $derived(savedLines + waiting.length);
  // Alone it would stand at the top, and go from under one's hands.
  const lineCount = $derived(recordLines + (mayEnter && set.opened ? 1 : 0));
  const room = $derived(Math.max(rowHeight, height - rowHeight - (totals ? footHeight : 0)));
  const scale = $derived(new ScrollScale(lineCount * rowHeight, room));
  const first = $derived(Math.max(0, Math.floor(top / rowHeight) - overscan));
  const end = $derived(Math.min(lineCount, Math.ceil((top + room) / rowHeight) + overscan));
  /**
   * As many rows as are ever drawn at once: a row that goes out of sight is drawn again as one that comes in, which is
   * half the work of making one. By the window's height, which is known from the beginning: rows that change places
   * lose the focus.
   */
  const drawnRows = $derived(Math.ceil((innerHeight.current ?? 1000) / rowHeight) + 2 * overscan + 2);
  const inSight = $derived(Array.from({ length: Math.max(0, end - first) }, (_, index) => first + index));

  /**
   * Whether the cell one is on is drawn. While it is not, the grid itself takes the focus, and leads back to the cell.
   */
  const isHereDrawn = $derived.by(() => {
    const { line, column } = chosen.at;
    return (
      line < end &&
      (line < 0 || line >= first) &&
      (columns[column]?.frozen === true || (column >= sight.first && column < sight.end))
    );
  });

  const lineAt = (line: number) =>
    line < layout.lines
      ? layout.at(line)
      : line < savedLines
        ? ({ kind: 'record', row: (set.count ?? set.rows) + line - layout.lines } as const)
        : undefined;
  const recordAt = (line: number): ShownRecord | undefined => {
    const found = lineAt(line);
    return found?.kind === 'record' ? set.at(found.row) : undefined;
  };
  /** The record in a line that is not saved yet. */
  const waitsAt = (line: number): PendingRecord | undefined => waiting[line - savedLines];
  const isBlank = (value: unknown) =>
    value === null || value === undefined || (Array.isArray(value) && value.length === 0);
  const isDraft = (line: number) => mayEnter && set.opened && line === recordLines;

  /** Others on this table, by the cell they are in. */
  const others = $derived(frame.live.here.filter((one) => one.table === table.id && one.record !== null));
  const othersAt = (record: ShownRecord | undefined, { key }: Field) =>
    others.length === 0 || !record
      ? []
      : others.filter((one) => one.record === record.id && one.field === key).map(({ name }) => name);
  /** The line of what is edited, as lines are now. */
  const editLine = $derived.by(() => {
    if (!editing) return null;
    if (editing.record) return lineOfRecord(editing.record.id) ?? editing.line;
    const waits = waiting.findIndex(({ key }) => key === editing?.waits);
    return waits >= 0 ? savedLines + waits : editing.waits === null ? recordLines : editing.line;
  });
  /**
   * One types into the row for a new record. Told by what is edited and not by its line: while a set is read anew, its
   * rows are not there, and the first record would stand where that row does.
   */
  const editsDraft = $derived(editing !== null && editing.record === null && editing.waits === null);
  /**
   * Rows that are drawn by themselves, so that no other row ever moves them: an editor that is moved loses what is
   * typed.
   */
  const ownRows = $derived([editLine, mayEnter && set.opened ? recordLines : null].filter((line) => line !== null));
  const otherRows = $derived(inSight.filter((line) => !ownRows.includes(line)));
  /** What one is on, by itself: lines move when others make, move or delete records. */
  let stands: { record: number | null; waits: string | null; draft: boolean } = {
    record: null,
    waits: null,
    draft: false,
  };
  $effect(() => {
    const { line, column } = chosen.at;
    const record = recordAt(line);
    onat?.(record?.id ?? null, columns[column]?.field.key ?? null);
  });
  $effect(() => {
    const [lines, drafts, unsaved] = [recordLines, mayEnter, waiting];
    const here = recordAt(untrack(() => chosen.at.line))?.id ?? null;
    untrack(() => follow(lines, drafts, here, unsaved));
  });

  /** Keeps one on the record one was on, saved or not yet, or on the row one types into, and the editor with it. */
  function follow(lines: number, drafts: boolean, here: number | null, unsaved: readonly PendingRecord[]) {
    const waits = unsaved.findIndex(({ key }) => key === stands.waits);
    const moved =
      stands.draft && drafts
        ? lines
        : waits >= 0
          ? savedLines + waits
          : stands.record !== null && here !== stands.record
            ? lineOfRecord(stands.record)
            : null;
    if (moved === null || moved === chosen.at.line) return;
    const focused = scroller?.contains(document.activeElement) ?? false;
    chosen.go({ line: moved, column: chosen.at.column });
    // An editor keeps the focus.
    if (focused) void tick().then(() => editing || focus());
  }

  function lineOfRecord(id: number): number | null {
    const row = set.rowOf(id);
    if (row === null) return null;
    const count = set.count ?? set.rows;
    return row >= count ? layout.lines + row - count : layout.lineOf(row);
  }

  $effect(() => {
    const rows = [first, end - 1]
      .map(lineAt)
      .map((line, index) =>
        line?.kind === 'record'
          ? line.row
          : line?.kind === 'head'
            ? (layout.at(index === 0 ? first + 1 : end - 2) as { row?: number } | undefined)?.row
            : undefined,
      );
    const [from, to] = [rows[0] ?? 0, rows[1] ?? set.rows];
    untrack(() => set.want(Math.min(from, to), Math.min(Math.max(from, to), from + 400)));
  });

  let settle: ReturnType<typeof setTimeout> | undefined;
  function scrolled() {
    if (!scroller) return;
    left = scroller.scrollLeft;
    top = scale.topAt(scroller.scrollTop, bar, top);
    bar = scroller.scrollTop;
    clearTimeout(settle);
    // Lines moved with the wheel while the bar moved as far: it is put where it belongs once that is over.
    if (scale.drawn !== scale.whole) settle = setTimeout(() => goTo(top), 200);
  }
  function goTo(pixel: number) {
    if (!scroller) return;
    top = Math.max(0, Math.min(pixel, scale.whole - room));
    bar = Math.round(scale.barAt(top));
    scroller.scrollTop = bar;
    bar = scroller.scrollTop;
  }

  // The inspector takes room when it opens: the cell one is on stays in sight.
  $effect(() => {
    if (width > 0) untrack(() => reveal());
  });

  function reveal() {
    const { line, column } = chosen.at;
    if (!scroller) return;
    const y = line * rowHeight;
    if (line >= 0 && y < top) goTo(y);
    else if (line >= 0 && y + rowHeight > top + room) goTo(y + rowHeight - room);
    const at = columns[column];
    const covered = still.reduce((sum, one) => sum + one.width, 0);
    if (!at || at.frozen) return;
    if (at.left - covered < scroller.scrollLeft) scroller.scrollLeft = at.left - covered;
    else if (at.left + at.width > scroller.scrollLeft + width) scroller.scrollLeft = at.left + at.width - width;
    left = scroller.scrollLeft;
  }

  async function go(line: number, column: number, extend = false) {
    const was = chosen.at.line;
    // Before the first records are read nobody knows how many lines there are.
    const last = set.opened ? lineCount - 1 : line;
    chosen.go(
      { line: Math.max(-1, Math.min(line, last)), column: Math.max(0, Math.min(column, columns.length - 1)) },
      extend,
    );
    stands = {
      record: recordAt(chosen.at.line)?.id ?? null,
      waits: waitsAt(chosen.at.line)?.key ?? null,
      draft: isDraft(chosen.at.line),
    };
    reveal();
    await tick();
    focus();
    if (isDraft(was) && !isDraft(chosen.at.line)) saveDraft(false);
    const record = recordAt(chosen.at.line);
    if (record && selected !== null) onselect(record, false);
  }

  const cellHere = () =>
    scroller?.querySelector<HTMLElement>(
      `[data-cell="${chosen.at.line}.${lineAt(chosen.at.line)?.kind === 'head' ? 0 : chosen.at.column}"]`,
    ) ?? null;
  const focus = () => cellHere()?.focus({ preventScroll: true });
  /** The grid has the focus for a cell that is not drawn, without going back to it. */
  let stays = false;
  function focusGrid() {
    stays = true;
    scroller?.focus({ preventScroll: true });
    stays = false;
  }
  $effect(() => (scroller ? keepFocus(scroller, cellHere, focusGrid) : undefined));

  export function focusCell() {
    focus();
  }

  function edit(start: string | null) {
    const { line, column } = chosen.at;
    const field = columns[column]?.field;
    const record = recordAt(line) ?? null;
    const waits = waitsAt(line);
    if (
      !(isDraft(line) ? mayEnter : mayEdit) ||
      !field ||
      !isTypedInto(table, field) ||
      (!record && !waits?.problem && !isDraft(line))
    )
      return;
    reveal();
    editing = { line, column, start, record, waits: waits?.key ?? null };
  }

  /** What is typed stands with the edit, so that an editor that is drawn anew goes on with it. */
  function typed({ target }: Event) {
    const isText = target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement;
    if (editing && isText && target.classList.contains('cell-editor')) editing.start = target.value;
  }

  function commit(value: unknown, key?: string, back = false) {
    const at = editing;
    editing = null;
    const field = at && columns[at.column]?.field;
    if (!at || !field) return;
    if (at.record) onedit(asBegun(at.record, field), field, value);
    else if (at.waits) pending.change(at.waits, field.key, value);
    else draft = { ...draft, [field.key]: value };
    if (key === 'Tab') void step(back);
    else if (key === 'Enter' && !at.record && !at.waits) saveDraft(true);
    else if (key === 'Enter') void go(chosen.at.line + (back ? -1 : 1), chosen.at.column);
    else if (key) void go(chosen.at.line, chosen.at.column);
  }

  /**
   * The record as it is now, unless the very value that was edited is another one since: then as it was, so that the
   * clash is seen.
   */
  function asBegun(record: ShownRecord, { key }: Field): ShownRecord {
    const now = set.known(record.id);
    return now && JSON.stringify(now.values[key]) === JSON.stringify(record.values[key]) ? now : record;
  }

  /** An editor was left without a value. One that is taken away loses its focus, too, when it has given one. */
  function leave(line: number, column: number) {
    if (editLine !== line || editing?.column !== column) return;
    editing = null;
    void go(line, column);
  }

  /**
   * To the next cell that can be entered; from the last one of the row one is typing into, the record is made and the
   * next begun.
   */
  async function step(back: boolean) {
    const { line, column } = chosen.at;
    if (!isDraft(line)) return go(line, column + (back ? -1 : 1));
    const to = back
      ? columns.findLastIndex(({ field }, index) => index < column && isEntered(field))
      : columns.findIndex(({ field }, index) => index > column && isEntered(field));
    if (to >= 0) return go(line, to);
    if (!back) saveDraft(true);
  }

  /** Sends what was typed into the last row on its way; the row is free for the next one at once. */
  function saveDraft(next: boolean) {
    if (Object.keys(draft).length === 0) return;
    ontype({ ...preset, ...draft });
    draft = {};
    const first = columns.findIndex(({ field }) => isEntered(field));
    if (next) void go(recordLines, Math.max(0, first));
  }

  function key(event: KeyboardEvent) {
    if (editing || (event.altKey && event.key !== 'ArrowDown' && event.key !== 'Enter')) return;
    const { at, range } = chosen;
    const found = lineAt(at.line);
    const record = recordAt(at.line);
    const field = columns[at.column]?.field;
    const command = event.ctrlKey || event.metaKey;
    const to = keyLeads(event, at, {
      lines: lineCount,
      columns: columns.length,
      page: Math.max(1, Math.floor(room / rowHeight) - 1),
    });
    if (to) void go(to.line, to.column, event.shiftKey && to.line >= 0);
    else if (event.altKey && event.key === 'Enter') linkedFrom(record, field)?.();
    else if (found?.kind === 'head' && (event.key === 'Enter' || event.key === ' '))
      onfold(found.group, event.shiftKey);
    else if (event.key === 'Tab' && isDraft(at.line) && (Object.keys(draft).length > 0 || event.shiftKey))
      void step(event.shiftKey);
    else if (command && event.key === 'a')
      chosen.choose({ top: 0, bottom: recordLines - 1, left: 0, right: columns.length - 1 });
    else if (command && event.key.toLowerCase() === 'd' && mayEdit) onfill(range, event.shiftKey ? 'series' : 'down');
    else if (command && event.key === ' ')
      chosen.choose({ top: 0, bottom: recordLines - 1, left: range.left, right: range.right });
    else if (event.shiftKey && event.key === ' ')
      chosen.choose({ top: range.top, bottom: range.bottom, left: 0, right: columns.length - 1 });
    else if (command && event.key === 'Enter' && record) onselect(record, true);
    else if (command) return;
    else if (
      (event.key === '=' || (event.key === 'Enter' && !(mayEdit && field && isTypedInto(table, field)))) &&
      record &&
      field &&
      isCalculated(field)
    ) {
      if (field.type.kind === 'formula') ontrace(record, field);
      else onselect(record, true);
    } else if (event.key === 'Enter' && isDraft(at.line) && Object.keys(draft).length > 0) saveDraft(true);
    else if (event.key === 'Enter' || event.key === 'F2') edit(null);
    else if (event.key === ' ' && record) onselect(record, true);
    else if (event.key === 'Delete' && event.shiftKey && waitsAt(at.line)?.problem)
      pending.remove(waitsAt(at.line)?.key ?? '');
    else if (event.key === 'Delete' && event.shiftKey && mayEdit) onremove(range);
    else if ((event.key === 'Delete' || event.key === 'Backspace') && isDraft(at.line) && field)
      draft = { ...draft, [field.key]: null };
    else if ((event.key === 'Delete' || event.key === 'Backspace') && mayEdit && at.line >= 0) onclear(range);
    else if (event.key === 'Escape' && isDraft(at.line) && Object.keys(draft).length > 0) draft = {};
    else if (event.key === 'Escape' && chosen.wide) chosen.go(at);
    else if (event.key.length === 1 && at.line >= 0) edit(event.key);
    else return;
    event.preventDefault();
    if (event.key === 'Escape') event.stopPropagation();
  }

  /** Shows the record that a cell names, the first where there are several; null where it names none. */
  function linkedFrom(record: ShownRecord | undefined, field: Field | undefined): (() => void) | null {
    const named = record && field && namedRecords(model, field, record.values[field.key]);
    const [one] = named?.records ?? [];
    return record && named && one ? () => onlinked(record, named.table, one) : null;
  }

  function copy(event: ClipboardEvent) {
    if (editing || (event.target as Element).closest('input, textarea')) return;
    event.preventDefault();
    oncopy(chosen.range, event.clipboardData);
  }

  function paste(event: ClipboardEvent) {
    if (editing || !mayEdit || (event.target as Element).closest('input, textarea')) return;
    const cells = textAsCells(event.clipboardData?.getData('text/plain') ?? '');
    if (cells.length === 0 || chosen.at.line < 0) return;
    event.preventDefault();
    onpaste(chosen.range, cells);
  }

  function press(event: PointerEvent, line: number, column: number) {
    if (event.button !== 0 || (event.target as Element).closest('input, textarea, a, button, [role=option]')) return;
    if (editLine === line && editing?.column === column) return;
    pulling = !event.shiftKey;
    void go(line, column, event.shiftKey);
  }

  /** The rows of the records in a range's lines. */
  /** The cells that are chosen. */
  export const chosenRange = (): CellRange => chosen.range;

  export function rowsOf({ top: from, bottom }: CellRange): number[] {
    const rows: number[] = [];
    for (let line = Math.max(0, from); line <= Math.min(bottom, recordLines - 1); line++) {
      const found = lineAt(line);
      if (found?.kind === 'record') rows.push(found.row);
    }
    return rows;
  }
</script>

<svelte:window onpointerup={() => (pulling = false)} />

{#snippet cell(line: number, column: number, shown: GridColumn, record: ShownRecord | undefined)}
  {@const { field } = shown}
  {@const unsent = record && frame.unsent.at(set.cellOf(record.id, field.key))}
  {@const waits = waitsAt(line)}
  {@const aside = record && isBlank(record.values[field.key]) ? record.aside?.[field.key] : undefined}
  <GridCell
    {model}
    {table}
    {shown}
    {line}
    {column}
    on={chosen.at.line === line && chosen.at.column === column}
    chosen={chosen.wide && chosen.has(line, column)}
    readonly={!(isDraft(line) ? mayEnter : mayEdit)}
    edge={shown.frozen && !columns[column + 1]?.frozen}
    marked={record !== undefined && set.marked.has(`${record.id}.${field.key}`)}
    tall={rowLines > 1}
    ground={isDraft(line) ? 'draft' : record && selected === record.id ? 'opened' : 'record'}
    others={othersAt(record, field)}
    onpress={(event) => press(event, line, column)}
    onover={() => pulling && chosen.go({ line, column }, true)}
    onlinked={linkedFrom(record, field)}
    onopen={() =>
      record && !(isTypedInto(table, field) && mayEdit)
        ? field.type.kind === 'formula'
          ? ontrace(record, field)
          : onselect(record, true)
        : edit(null)}
  >
    {#if editing && editLine === line && editing.column === column}
      {@const edited = editing.record}
      <CellEditor
        {workspace}
        {model}
        {table}
        {field}
        record={edited?.id ?? null}
        draft={edited ? {} : (waits?.values ?? { ...preset, ...draft })}
        value={edited ? edited.values[field.key] : (waits?.values ?? draft)[field.key]}
        start={editing.start ??
          (unsent?.refused && typeof unsent.value !== 'object'
            ? editText(unsent.value, field.type, frame.workspace.zone)
            : null) ??
          aside?.text ??
          null}
        oncommit={commit}
        oncancel={() => leave(line, column)}
      />
    {:else if unsent}
      <span
        class="unsent"
        class:problem={unsent.refused}
        title={unsent.refused ? `${unsent.refused.message} ${unsent.refused.fix ?? ''}` : 'not sent yet'}
        ><TypedValue {model} {field} value={unsent.value} /></span
      >
    {:else if aside}
      <span class="aside" title="Set aside: {aside.reason}. Enter corrects it.">{aside.text}</span>
    {:else if record}
      <CellValue {model} {field} value={record.values[field.key]} />
    {:else if waits}
      <span
        class="unsent"
        class:problem={waits.problem !== null}
        title={waits.problem ? `${waits.problem.message} ${waits.problem.fix ?? ''}` : 'being saved'}
        ><TypedValue {model} {field} value={waits.values[field.key]} /></span
      >
    {:else if isDraft(line)}
      {#if Object.hasOwn(draft, field.key) || Object.hasOwn(preset, field.key)}<TypedValue
          {model}
          {field}
          value={own(draft, field.key) ?? own(preset, field.key)}
        />
      {:else if column === 0 && Object.keys(draft).length === 0}<span class="hint">new …</span>{/if}
    {:else if column === 0}<span class="hint" aria-label="being read">…</span>{/if}
  </GridCell>
{/snippet}

{#snippet row(line: number)}
  {@const found = lineAt(line)}
  {@const record = found?.kind === 'record' ? set.at(found.row) : undefined}
  {@const dye = record && record.mark !== null && record.mark !== undefined ? dyes[record.mark] : undefined}
  <div
    class="row"
    class:editing={editLine === line}
    class:draft={isDraft(line)}
    class:problem={waitsAt(line)?.problem}
    role="row"
    aria-rowindex={line + 2}
    style:top="{line * rowHeight - top + bar}px"
    style:--edge={dye ? `var(--dye-${dye})` : undefined}
    class:dyed={dye !== undefined}
    class:loose={still.length === 0}
  >
    {#if found?.kind === 'head'}
      <GroupHead
        {model}
        group={found.group}
        {line}
        {columns}
        {still}
        totals={totals?.asked ?? []}
        folded={folded.has(groupName(found.group))}
        on={chosen.at.line === line}
        onfold={(all) => onfold(found.group, all)}
        ongo={() => void go(line, 0)}
      />
    {:else}
      <div class="still">
        {#each still as shown, index (shown.field.id)}{@render cell(line, index, shown, record)}{/each}
      </div>
      {#each beside as shown, index (shown.field.id)}{@render cell(line, sight.first + index, shown, record)}{/each}
      {@const waits = waitsAt(line)}
      {#if waits?.problem}
        <UnsavedNote
          problem={waits.problem}
          here={chosen.at.line === line}
          cells={all}
          sight={{ left, width }}
          height={rowHeight}
          ondrop={() => pending.remove(waits.key)}
        />
      {/if}
    {/if}
  </div>
{/snippet}

<div
  class="scroller"
  role="grid"
  aria-label={table.label}
  aria-rowcount={set.count === null ? -1 : lineCount + 1}
  aria-colcount={columns.length}
  aria-multiselectable="true"
  tabindex={isHereDrawn ? -1 : 0}
  onfocus={(event) => event.target === scroller && !stays && void go(chosen.at.line, chosen.at.column)}
  bind:this={scroller}
  bind:clientHeight={height}
  bind:clientWidth={width}
  onscroll={scrolled}
  onkeydown={key}
  oninput={typed}
  oncopy={copy}
  onpaste={paste}
  style:--height="{rowHeight}px"
>
  <div class="top" style:width="{all}px" role="rowgroup">
    <GridHead
      {model}
      {table}
      {columns}
      {sort}
      at={chosen.at.line === -1 ? chosen.at.column : null}
      onchange={oncolumn}
      {onsort}
      {onmenu}
      ongo={(column) => void go(-1, column)}
      onresize={(column, wide) => (resizing = wide === null ? null : { column, width: wide })}
    />
  </div>
  <div class="body" role="rowgroup" style:height="{scale.drawn}px" style:width="{all}px">
    {#each otherRows as line (line % drawnRows)}{@render row(line)}{/each}
    {#if editLine !== null && !editsDraft}{@render row(editLine)}{/if}
    {#if mayEnter && (editsDraft || (set.opened && editLine !== recordLines && recordLines >= first && recordLines < end))}{@render row(
        recordLines,
      )}{/if}
  </div>
  {#if totals}
    <div class="foot" style:width="{all}px" role="rowgroup">
      <GridFoot {model} {totals} {still} {beside} first={sight.first} rowIndex={lineCount + 2} />
    </div>
  {/if}
</div>

<style>
  .scroller {
    position: relative;
    display: flex;
    flex: 1;
    flex-direction: column;
    min-height: 0;
    overflow: auto;
    font-size: 13px;
    background: var(--raised);
    overflow-anchor: none;
  }
  .scroller:focus {
    outline: none;
  }
  .top,
  .foot {
    position: sticky;
    z-index: 6;
    flex: none;
    min-width: 100%;
    background: var(--ground);
  }
  .top {
    top: 0;
  }
  .foot {
    bottom: 0;
    height: 30px;
    margin-top: auto;
    border-top: 1px solid var(--line-strong);
  }
  .body {
    position: relative;
    flex: none;
    min-width: 100%;
    overflow: clip visible;
  }
  .row {
    position: absolute;
    left: 0;
    width: 100%;
    height: var(--height);
  }
  .row.editing {
    z-index: 5;
  }
  .still {
    position: sticky;
    left: 0;
    z-index: 2;
    display: flex;
    width: max-content;
    height: 100%;
    background: var(--raised);
  }
  .dyed .still::before,
  .dyed.loose::before {
    position: absolute;
    top: 0;
    left: 0;
    z-index: 1;
    width: 4px;
    height: 100%;
    content: '';
    background: repeating-linear-gradient(180deg, var(--edge) 0 6px, transparent 6px 8px);
  }
  .hint {
    color: var(--ink-faint);
    font-weight: 400;
  }
  .aside {
    padding: 0 4px;
    color: var(--ink-soft);
    background: var(--weld-tint);
    border-left: 3px solid var(--weld);
  }
  .unsent {
    border-bottom: 2px dotted var(--weld);
  }
  .unsent.problem {
    border-bottom-color: var(--madder);
  }
  .row.problem {
    z-index: 3;
  }
</style>
