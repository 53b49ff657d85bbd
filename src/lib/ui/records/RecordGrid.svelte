<script lang="ts">
  import { isEntered, type Field, type Model, type Table } from '$core/model/model';
  import type { RowLines } from '$core/model/view';
  import { GroupLayout, groupName } from '$core/query/groupLayout';
  import { counted } from '../values/words';
  import type { ColumnChange } from './columnChange';
  import Grid from './Grid.svelte';
  import type { GridColumn } from './gridGeometry';
  import type { RecordSet, ShownRecord } from './recordSet.svelte';
  import type { RecordWork } from './recordWork.svelte';
  import type { CellRange } from './selection.svelte';
  import type { ShownGroup, ShownTotals } from './totals.svelte';

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
    selected = null,
    preset = {},
    onselect,
    onsort,
    oncolumn,
    onmenu,
    onremove,
    ontrace,
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
    selected?: number | null;
    preset?: Readonly<Record<string, unknown>>;
    onselect: (record: ShownRecord, open: boolean) => void;
    onsort: (key: string) => void;
    oncolumn: (change: ColumnChange) => void;
    onmenu: (column: number, opener: HTMLElement) => void;
    onremove: (records: readonly ShownRecord[]) => void;
    ontrace: (record: ShownRecord, field: Field) => void;
  } = $props();
  let grid = $state<ReturnType<typeof Grid> | null>(null);
  let folded = $state.raw<ReadonlySet<string>>(new Set());
  const layout = $derived(groups ? GroupLayout.of<ShownGroup>(groups, folded) : GroupLayout.plain<ShownGroup>(set.count ?? set.rows - set.fresh.length));

  export const focusCell = () => grid?.focusCell();
  export const goToRecord = (id: number): boolean => grid?.goToRecord(id) ?? false;
  export const foldAll = (all: boolean) => (folded = new Set(all ? (groups ?? []).map(groupName) : []));

  const fieldsIn = ({ left, right }: CellRange) => columns.slice(left, right + 1).map(({ field }) => field);

  async function recordsIn(range: CellRange): Promise<readonly ShownRecord[]> {
    const rows = grid?.rowsOf(range) ?? [];
    const [first, last] = [rows[0], rows.at(-1)];
    if (first === undefined || last === undefined) return [];
    const known = rows.map((row) => set.at(row));
    return known.every((one) => one !== undefined) ? known : set.between(first, last);
  }

  /** Cells go into as many rows as there are: those that are chosen, those below, and new ones behind the last. What is copied once is repeated over a larger choice. */
  async function paste(range: CellRange, cells: readonly (readonly string[])[]) {
    const [height, width] = [cells.length, cells[0]?.length ?? 0];
    const [rows, across] = [range.bottom - range.top + 1, range.right - range.left + 1];
    const tall = rows % height === 0 ? rows : height;
    const wide = across % width === 0 ? across : width;
    const known = await recordsIn({ ...range, bottom: range.top + tall - 1 });
    const fields = columns.slice(range.left, range.left + wide).map(({ field }) => field);
    const textsOf = (row: number) => fields.flatMap((field, index) => (isEntered(field) ? [cells[row % height]?.[index % width] ?? ''] : []));
    const target = Array.from({ length: tall }, (_, row) => ({ id: known[row]?.id ?? null, cells: textsOf(row) }));
    const beyond = wide - fields.length;
    const passedOver = [
      ...fields.filter((field) => !isEntered(field)).map(({ label }) => label),
      ...(beyond > 0 ? [`${counted(beyond, 'column')} beyond the last one`] : []),
    ];
    // In groups the rows below belong to others, so nothing is made behind the last one.
    await work.paste(fields.filter(isEntered), groups ? target.filter(({ id }) => id !== null) : target, preset, passedOver);
  }

  function fold(one: ShownGroup) {
    const name = groupName(one);
    folded = folded.has(name) ? new Set([...folded].filter((other) => other !== name)) : new Set([...folded, name]);
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
  {preset}
  {selected}
  {onselect}
  onedit={(one, field, value) => void work.edit(one, field, value)}
  onclear={(range) => void recordsIn(range).then((records) => work.clear(records, fieldsIn(range)))}
  onpaste={(range, cells) => void paste(range, cells)}
  onfill={(range, how) => void recordsIn(range).then((records) => work.fill(records, fieldsIn(range), how))}
  onnew={(values) => work.make(values)}
  {onsort}
  {oncolumn}
  {onmenu}
  onfold={fold}
  onremove={(range) => void recordsIn(range).then((records) => records.length > 0 && onremove(records))}
  {ontrace}
/>
