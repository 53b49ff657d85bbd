<script lang="ts">
  import { isEntered } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import type { RowLines } from '$core/types/view';
  import { GroupLayout, groupName } from '$core/query/groupLayout';
  import { useFrame } from '../frame/context';
  import { editText } from '../values/show';
  import { counted } from '../values/words';
  import { cellsAsText } from './clipboard';
  import type { ColumnChange } from './columnChange';
  import Grid from './Grid.svelte';
  import type { GridColumn } from './gridGeometry';
  import type { RecordName } from '../record/linked';
  import type { RecordSet, ShownRecord } from '../records/recordSet.svelte';
  import type { RecordWork } from '../records/recordWork.svelte';
  import type { CellRange } from './selection.svelte';
  import type { ShownGroup, ShownTotals } from '../view/totals.svelte';

  /** A grid whose edits, pastes and fills go to the records of a set. */
  const {
    workspace,
    model,
    table,
    set,
    work,
    columns,
    groups = null,
    lines = 1,
    sort = '',
    totals = null,
    dyes = [],
    mayEdit,
    mayEnter = mayEdit,
    selected = null,
    preset = {},
    onat,
    onselect,
    onsort,
    oncolumn,
    onmenu,
    onremove,
    ontrace,
    onlinked,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    set: RecordSet;
    work: RecordWork;
    columns: readonly GridColumn[];
    groups?: readonly ShownGroup[] | null;
    lines?: RowLines;
    sort?: string;
    totals?: ShownTotals | null;
    dyes?: readonly string[];
    mayEdit: boolean;
    mayEnter?: boolean;
    selected?: number | null;
    preset?: Readonly<Record<string, unknown>>;
    onat?: (record: number | null, field: string | null) => void;
    onselect: (record: ShownRecord, open: boolean) => void;
    onsort: (key: string) => void;
    oncolumn: (change: ColumnChange) => void;
    onmenu: (column: number, opener: HTMLElement) => void;
    onremove: (records: readonly ShownRecord[]) => void;
    ontrace: (record: ShownRecord, field: Field) => void;
    onlinked: (record: ShownRecord, table: Table, named: RecordName) => void;
  } = $props();
  const { notices, workspace: here } = useFrame();
  let grid = $state<ReturnType<typeof Grid> | null>(null);
  let folded = $state.raw<ReadonlySet<string>>(new Set());
  const layout = $derived(
    groups
      ? GroupLayout.of<ShownGroup>(groups, folded)
      : GroupLayout.plain<ShownGroup>(set.count ?? set.rows - set.fresh.length),
  );

  export const focusCell = () => grid?.focusCell();

  /** The numbers of the records whose cells are chosen, as far as these were read. */
  export const chosenRecords = (): number[] => {
    const range = grid?.chosenRange();
    const rows = range && grid ? grid.rowsOf(range) : [];
    return rows.flatMap((row) => set.at(row)?.id ?? []);
  };

  const fieldsIn = ({ left, right }: CellRange) => columns.slice(left, right + 1).map(({ field }) => field);

  /** The records of a range, read where they are not; null, and said, where they cannot be. */
  async function recordsIn(range: CellRange): Promise<readonly ShownRecord[] | null> {
    const rows = grid?.rowsOf(range) ?? [];
    const [first, last] = [rows[0], rows.at(-1)];
    if (first === undefined || last === undefined) return [];
    const known = rows.map((row) => set.at(row));
    if (known.every((one) => one !== undefined)) return known;
    const records = await set.between(first, last);
    if (!records)
      notices.refused({
        message: 'Not all of these records could be read; nothing was done.',
        fix: 'Try again, or choose fewer.',
      });
    // Between the rows of a range can be those of groups that are folded.
    return records && rows.flatMap((row) => records[row - first] ?? []);
  }

  /** More cells than this are exported instead of copied. */
  const mostCopied = 200_000;

  function copy(range: CellRange, clipboard: DataTransfer | null) {
    const taken = columns.slice(range.left, range.right + 1);
    const rows = grid?.rowsOf(range) ?? [];
    const cells = rows.length * taken.length;
    if (cells > mostCopied)
      return notices.refused({
        message: `${cells.toLocaleString()} cells are more than the clipboard is for.`,
        fix: 'Export them as a file instead.',
      });
    const text = (records: readonly ShownRecord[]) =>
      cellsAsText(
        records.map(({ values }) => taken.map(({ field }) => editText(values[field.key], field.type, here.zone))),
      );
    const known = rows.map((row) => set.at(row)).filter((record) => record !== undefined);
    const done = () => notices.done(`${rows.length.toLocaleString()} × ${taken.length} cells copied.`);
    if (known.length === rows.length) {
      clipboard?.setData('text/plain', text(known));
      return done();
    }
    // What is not read yet is asked for; the clipboard waits for it.
    const later = recordsIn(range).then((records) => {
      if (!records) throw new Error('not all of the records could be read');
      return new Blob([text(records)], { type: 'text/plain' });
    });
    navigator.clipboard.write([new ClipboardItem({ 'text/plain': later })]).then(done, () =>
      notices.refused({
        message: 'Nothing was copied: the rows that are not in sight could not be put on the clipboard.',
        fix: 'Export them as a file instead.',
      }),
    );
  }

  async function withRecords(range: CellRange, work: (records: readonly ShownRecord[]) => unknown) {
    const records = await recordsIn(range);
    if (records && records.length > 0) await work(records);
  }

  /**
   * Cells go into as many rows as there are: those that are chosen, those below, and new ones behind the last. What is
   * copied once is repeated over a larger choice.
   */
  async function paste(range: CellRange, cells: readonly (readonly string[])[]) {
    const [height, width] = [cells.length, cells[0]?.length ?? 0];
    const [rows, across] = [range.bottom - range.top + 1, range.right - range.left + 1];
    const tall = rows % height === 0 ? rows : height;
    const wide = across % width === 0 ? across : width;
    const known = await recordsIn({ ...range, bottom: range.top + tall - 1 });
    // A row that was not read must not be taken for one that is yet to be made.
    if (!known) return;
    const fields = columns.slice(range.left, range.left + wide).map(({ field }) => field);
    const textsOf = (row: number) =>
      fields.flatMap((field, index) => (isEntered(field) ? [cells[row % height]?.[index % width] ?? ''] : []));
    const target = Array.from({ length: tall }, (_, row) => ({ id: known[row]?.id ?? null, cells: textsOf(row) }));
    const beyond = wide - fields.length;
    const passedOver = [
      ...fields.filter((field) => !isEntered(field)).map(({ label }) => label),
      ...(beyond > 0 ? [`${counted(beyond, 'column')} beyond the last one`] : []),
    ];
    // In groups the rows below belong to others, so nothing is made behind the last one.
    await work.paste(
      fields.filter(isEntered),
      groups ? target.filter(({ id }) => id !== null) : target,
      preset,
      passedOver,
    );
  }

  /** Folds a group or unfolds it; `all` does the same to every group of its level. */
  function fold(one: ShownGroup, all: boolean) {
    const names = new Set((all ? (groups ?? []).filter(({ level }) => level === one.level) : [one]).map(groupName));
    folded = folded.has(groupName(one))
      ? new Set([...folded].filter((other) => !names.has(other)))
      : new Set([...folded, ...names]);
  }
</script>

<Grid
  bind:this={grid}
  {workspace}
  {model}
  {table}
  {set}
  {layout}
  {columns}
  {lines}
  {sort}
  {totals}
  {dyes}
  {folded}
  {mayEdit}
  {mayEnter}
  {preset}
  {selected}
  {onat}
  {onselect}
  onedit={(one, field, value) => void work.edit(one, field, value)}
  onclear={(range) => void withRecords(range, (records) => work.clear(records, fieldsIn(range)))}
  oncopy={copy}
  onpaste={(range, cells) => void paste(range, cells)}
  onfill={(range, how) => void withRecords(range, (records) => work.fill(records, fieldsIn(range), how))}
  pending={work.pending}
  ontype={(values) => work.type(values)}
  {onsort}
  {oncolumn}
  {onmenu}
  onfold={fold}
  onremove={(range) => void withRecords(range, onremove)}
  {ontrace}
  {onlinked}
/>
