import { lastRow } from '$core/intake/leftOut';
import { columnFates } from '$core/intake/columnFates';
import { goneTo, type CellAccount, type IntakeSheet, type Proposal, type SheetReceipt } from '$core/intake/intake';
import { findTable } from '$core/model/model';
import type { Field } from '$core/types/field';
import { tableSql } from '../../access/workspaceState';
import { refuse } from '../../base/refusal';
import { cleanedSql } from '../staged/cleaning';
import { rowsKept, typedName } from './intoExisting';
import { valuesOf } from '../staged/sheetValues';
import type { LoadedSheet } from './loadedSheet';
import { stagedName } from '../staged/stagedName';
import { linkColumns, type Loading } from './targets';
import { identifier, join, raw, sql, type Sql } from '../../base/sql';

/** What stops a load that does not add up: a fault of ours, written down as such, and better seen than kept. */
const lost = (what: string): Error => new Error(`the load was stopped, as ${what}`);

/** Refuses a load under which filled cells would be dropped without anybody having said so. */
export function requireSomewhere(sheets: readonly IntakeSheet[], proposal: Proposal): void {
  const nowhere = columnFates(sheets, proposal).filter(({ fate, filled }) => fate === 'nowhere' && filled > 0);
  if (nowhere.length === 0) return;
  const names = nowhere.slice(0, 5).map(({ name, sheet }) => `“${name}” of ${sheets[sheet]?.name ?? ''}`);
  const refusal = refuse(
    409,
    `${names.join(', ')}${nowhere.length > 5 ? ` and ${nowhere.length - 5} more columns` : ''} would be lost, as no field takes ${nowhere.length === 1 ? 'it' : 'them'}.`,
    'Choose a field for each of these columns, or skip it.',
    `/columns/${nowhere[0]?.sheet}.${nowhere[0]?.column}`,
  );
  throw Object.assign(refusal, {
    details: { columns: nowhere.map(({ sheet, column, name, filled }) => ({ sheet, column, name, filled })) },
  });
}

/** What a load and its account go by. */
interface Accounted {
  readonly loading: Loading;
  readonly loaded: LoadedSheet;
  readonly batch: number;
  readonly sheets: readonly IntakeSheet[];
  readonly proposal: Proposal;
}

/**
 * What became of every filled cell of a sheet, counted on the staged rows, the records and what was set aside, each by
 * itself. Throws where a row or a cell is not accounted for, so that such a load leaves no trace.
 */
export async function accountOf(of: Accounted, receipt: SheetReceipt): Promise<CellAccount[]> {
  const { sheet } = of.loaded;
  const found = receipt.added + (receipt.changed ?? 0) + (receipt.unchanged ?? 0) + receipt.setAside + receipt.refused;
  if (found !== receipt.read)
    throw lost(`${receipt.read} rows of ${sheet.name} were read and ${found} are accounted for`);
  return [...(await mappedCells(of)), ...cellsElsewhere(of)];
}

/** The records that came from a sheet: as a table or part of one on alias `u`, and whether they are typed rows. */
function recordsOf({ loading, loaded }: Accounted): { readonly records: Sql; readonly typed: boolean } {
  const { mapping, table, offset, sheet } = loaded;
  if (mapping.into !== undefined) return { records: sql`${raw(typedName(mapping.sheet))} u`, typed: true };
  const name = tableSql(loading.access.workspace, table);
  return { records: sql`${name} u where u._id between ${offset + 1} and ${offset + lastRow(sheet)}`, typed: false };
}

/** The cells of columns that went into fields. */
async function mappedCells(of: Accounted): Promise<CellAccount[]> {
  const { loading, loaded } = of;
  const { sheet } = loaded;
  const scalars = valuesOf(loading, loaded).values.flatMap(({ column, field }, index) =>
    column === null ? [] : [{ column, field, index }],
  );
  const many = linkColumns(loading, loaded).filter((one) => one.many);
  const shown = [
    ...scalars.map(({ column, field }) => ({ column, field, checked: true })),
    ...many.map(({ column, field }) => ({ column, field, checked: false })),
  ];
  if (shown.length === 0) return [];
  const staged = await countStaged(
    of,
    shown.map(({ column }) => column),
  );
  const written = await countWritten(of, scalars);
  const asideOf = await countAside(of);
  return shown.map(({ column, field, checked }, at) => {
    const { filled = 0, refused = 0, meant = 0, kept: leftOut = 0 } = staged[at] ?? {};
    const setAside = asideOf.get(field.id) ?? 0;
    const here = checked ? (written[at] ?? 0) : meant - setAside;
    const name = sheet.columns[column]?.name ?? '';
    const found = here + setAside + leftOut;
    if (found !== meant) throw lost(`of ${meant} cells of ${name} ${found} are accounted for`);
    // What a formula makes of the row need not stand in this very cell.
    const own = sheet.columns[column]?.cleaned ? meant + refused : filled;
    const blank = own - refused - meant;
    return { column: name, field: field.label, filled: own, written: here, setAside, refused, blank, leftOut };
  });
}

/**
 * For each column: cells that are filled, those of refused rows, those of other rows that mean something, and those of
 * them that a person does not take.
 */
async function countStaged(
  { loading, loaded: { sheet, mapping } }: Accounted,
  columns: readonly number[],
): Promise<{ filled: number; refused: number; meant: number; kept: number }[]> {
  const counts = columns.flatMap((column, at) => {
    const meant = cleanedSql('s', column, mapping.columns.find((one) => one.column === column)?.clean);
    return [
      `count(s.c${column})::int as filled${at}`,
      `count(s.c${column}) filter (where s._refused is not null)::int as refused${at}`,
      `count(${meant}) filter (where s._refused is null)::int as meant${at}`,
      `count(${meant}) filter (where s._refused is null and s._target is not null
        and s._row = any('{${rowsKept(mapping.into ?? {}, column).join()}}'::bigint[]))::int as kept${at}`,
    ];
  });
  const { rows } = await loading.client.query<Record<string, number>>(
    sql`select ${raw(counts.join(', '))} from ${raw(stagedName(sheet.staged))} s`,
  );
  const of = (what: string) => rows[0]?.[what] ?? 0;
  return columns.map((_, at) => ({
    filled: of(`filled${at}`),
    refused: of(`refused${at}`),
    meant: of(`meant${at}`),
    kept: of(`kept${at}`),
  }));
}

/** How many records have a value in each of these fields; `index`: the place among the values of the sheet. */
async function countWritten(
  of: Accounted,
  fields: readonly { readonly field: Field; readonly index: number }[],
): Promise<number[]> {
  if (fields.length === 0) return [];
  const { records, typed } = recordsOf(of);
  const counts = fields.map(({ field, index }, at) => {
    const value = typed ? raw(`u.v${index}`) : sql`u.${identifier(field.key)}`;
    return sql`count(${value})::int as ${raw(`written${at}`)}`;
  });
  const { rows } = await of.loading.client.query<Record<string, number>>(sql`select ${join(counts)} from ${records}`);
  return fields.map((_, at) => rows[0]?.[`written${at}`] ?? 0);
}

/** How many records have something set aside, by field. */
async function countAside(of: Accounted): Promise<ReadonlyMap<string, number>> {
  const { rows } = await of.loading.client.query<{ field: string; n: number }>(
    sql`
      select field_id as field, count(distinct record_id)::int as n
      from loom.set_aside
      where batch = ${of.batch} and table_id = ${of.loaded.table.id}
        and record_id in (select u._id from ${recordsOf(of).records})
      group by 1
    `,
  );
  return new Map(rows.map(({ field, n }) => [field, n]));
}

const fateWords: Partial<Record<string, string>> = {
  'numbers rows': 'tells the rows apart',
  calculated: 'is calculated again',
};

/** The cells of columns that went into another table, or into none. */
function cellsElsewhere({ loading, loaded: { mapping }, sheets, proposal }: Accounted): CellAccount[] {
  const elsewhere = columnFates(sheets, proposal).filter(
    (one) => one.sheet === mapping.sheet && one.fate !== 'field' && one.filled > 0,
  );
  return elsewhere.map(({ column, name, filled, fate }) => {
    const counts = { column: name, filled, setAside: 0, refused: 0, blank: 0 };
    if (fate !== 'split off') return { ...counts, field: fateWords[fate] ?? null, written: 0, leftOut: filled };
    const split = sheets.find(({ derived }) => goneTo(derived, mapping.sheet, column) !== undefined);
    const target = proposal.mappings.find((one) => sheets[one.sheet] === split)?.table;
    const label = target === undefined ? undefined : findTable(loading.access.workspace.model, target)?.label;
    // Of what a sheet repeats, rows that say otherwise than most give way.
    const other =
      split?.derived?.exceptions.find(
        (one) => one.column === column && (one.sheet ?? split.derived?.sheet) === mapping.sheet,
      )?.rows ?? 0;
    return { ...counts, field: label ?? null, written: filled - other, leftOut: other };
  });
}
