import { columnFates } from '$core/intake/columnFates';
import type { CellAccount, IntakeSheet, Proposal, SheetReceipt } from '$core/intake/intake';
import { findTable } from '$core/model/model';
import { quoteIdentifier } from '$core/sql';
import { tableName } from '../../access/workspaceAccess';
import { refuse } from '../../base/refusal';
import { cleanedSql } from '../staged/cleaning';
import { typedName } from './intoExisting';
import { valuesOf } from '../staged/sheetValues';
import type { LoadedSheet } from './loadedSheet';
import { stagedName } from '../staged/stage';
import { linkColumns, type Loading } from './targets';
import { raw, sql } from '../../base/sql';

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

/**
 * What became of every filled cell of a sheet, counted on the staged rows, the records and what was set aside, each by
 * itself. Throws where a row or a cell is not accounted for, so that such a load leaves no trace.
 */
export async function accountOf(
  loading: Loading,
  loaded: LoadedSheet,
  batch: number,
  receipt: SheetReceipt,
  sheets: readonly IntakeSheet[],
  proposal: Proposal,
): Promise<CellAccount[]> {
  const { client, access } = loading;
  const { sheet, mapping, table, offset } = loaded;
  const staged = stagedName(sheet.staged);
  const found = receipt.added + (receipt.changed ?? 0) + (receipt.unchanged ?? 0) + receipt.setAside + receipt.refused;
  if (found !== receipt.read)
    throw lost(`${receipt.read} rows of ${sheet.name} were read and ${found} are accounted for`);
  const typed = mapping.into !== undefined;
  const { values } = valuesOf(loading, loaded);
  const records = typed ? typedName(mapping.sheet) : tableName(access.workspace, table);
  const among = typed
    ? `select _id from ${records}`
    : `select _id from ${records} where _id between ${offset + 1} and ${offset + sheet.rows}`;
  const scalars = values.flatMap(({ column, field }, index) => (column === null ? [] : [{ column, field, index }]));
  const many = linkColumns(loading, loaded).filter((one) => one.many);
  const aside = await client.query<{ field: string; n: number }>(
    sql`
      select field_id as field, count(distinct record_id)::int as n
      from loom.set_aside
      where batch = ${batch} and table_id = ${table.id} and record_id in (${raw(among)})
      group by 1
    `,
  );
  const asideOf = new Map(aside.rows.map(({ field, n }) => [field, n]));
  const shown = [
    ...scalars.map(({ column, field }) => ({ column, field, checked: true })),
    ...many.map(({ column, field }) => ({ column, field, checked: false })),
  ];
  const cells: CellAccount[] = [];
  if (shown.length > 0) {
    const meant = (column: number) =>
      cleanedSql('s', column, mapping.columns.find((one) => one.column === column)?.clean);
    const { rows } = await client.query<Record<string, number>>(
      sql`
        select ${raw(
          shown
            .map(
              ({ column }, at) =>
                `count(s.c${column})::int as f${at}, count(s.c${column}) filter (where s._refused is not null)::int as r${at}, count(${meant(column)}) filter (where s._refused is null)::int as m${at}`,
            )
            .join(', '),
        )}
        from ${raw(staged)} s
      `,
    );
    const written = await client.query<Record<string, number>>(
      sql`
        select ${raw([...scalars.map(({ field, index }, at) => `count(${typed ? `u.v${index}` : `u.${quoteIdentifier(field.key)}`})::int as w${at}`), '1 as one'].join(', '))}
        from ${raw(records)} u${raw(typed ? '' : ` where u._id between ${offset + 1} and ${offset + sheet.rows}`)}
      `,
    );
    for (const [at, { column, field, checked }] of shown.entries()) {
      const [filled = 0, refused = 0, says = 0] = [rows[0]?.[`f${at}`], rows[0]?.[`r${at}`], rows[0]?.[`m${at}`]];
      const setAside = asideOf.get(field.id) ?? 0;
      const here = checked ? (written.rows[0]?.[`w${at}`] ?? 0) : says - setAside;
      const name = sheet.columns[column]?.name ?? '';
      if (here + setAside !== says) throw lost(`of ${says} cells of ${name} only ${here + setAside} are accounted for`);
      // What a formula makes of the row need not stand in this very cell.
      const own = sheet.columns[column]?.cleaned ? says + refused : filled;
      cells.push({
        column: name,
        field: field.label,
        filled: own,
        written: here,
        setAside,
        refused,
        blank: own - refused - says,
        leftOut: 0,
      });
    }
  }
  const elsewhere = columnFates(sheets, proposal).filter(
    (one) => one.sheet === mapping.sheet && one.fate !== 'field' && one.filled > 0,
  );
  for (const { column, name, filled, fate } of elsewhere) {
    const split = sheets.find(({ derived }) => derived?.sheet === mapping.sheet && derived.dependents.includes(column));
    const target = proposal.mappings.find((one) => sheets[one.sheet] === split)?.table;
    const label = target === undefined ? undefined : findTable(access.workspace.model, target)?.label;
    // Of what a sheet repeats, rows that say otherwise than most give way.
    const other = split?.derived?.exceptions.find((one) => one.column === column)?.rows ?? 0;
    const isKept = fate === 'split off';
    cells.push({
      column: name,
      field: isKept
        ? (label ?? null)
        : fate === 'numbers rows'
          ? 'tells the rows apart'
          : fate === 'calculated'
            ? 'is calculated again'
            : null,
      filled,
      written: isKept ? filled - other : 0,
      setAside: 0,
      refused: 0,
      blank: 0,
      leftOut: isKept ? other : filled,
    });
  }
  return cells;
}
