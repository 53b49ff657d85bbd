import { conditionWords, rowsOut } from '$core/intake/leftOut';
import { amongSiblings } from '$core/intake/columns/siblings';
import { ColumnProfiler } from '$core/intake/columns/profile';
import type { ColumnProfile, Decisions, IntakeSheet, LeftOutRow } from '$core/intake/intake';
import type { Client } from '../../database/pool';
import { refuse } from '../../base/refusal';
import { confirmKeys } from '../discovery/keys';
import { stagedName } from './stagedName';
import { raw, sql } from '../../base/sql';
import { rowsWhere } from './rowsWhere';

const chunk = 5_000;

/**
 * Sheets with the rows left out that a person decided on, or those that were found to be no records; what is left out
 * stands with the sheet and not in its table. Sheets whose rows changed are profiled anew; `changed` are their places.
 */
export async function settleRows(
  client: Client,
  sheets: readonly IntakeSheet[],
  decisions: Decisions,
): Promise<{ readonly sheets: readonly IntakeSheet[]; readonly changed: readonly number[] }> {
  const now: IntakeSheet[] = [];
  const changed: number[] = [];
  for (const [index, sheet] of sheets.entries()) {
    const { leaveOut: wished, leaveOutWhere = [] } = decisions.tables[String(index)] ?? {};
    const out = new Map<number, string | null>(
      (wished ?? (sheet.leftOut ?? []).flatMap(({ row, byHand, where }) => (byHand || where ? [] : [row]))).map(
        (row) => [row, null],
      ),
    );
    if (!sheet.derived)
      for (const [at, condition] of leaveOutWhere.entries())
        for (const row of await rowsWhere(client, sheet, condition, `/tables/${index}/leaveOutWhere/${at}`))
          if (!out.has(row)) out.set(row, conditionWords(sheet, condition));
    const before = rowsOut(sheet);
    const isSame =
      before.length === out.size &&
      before.every(({ row, where, why }) => out.has(row) && (out.get(row) ?? null) === (where ? why : null));
    if (sheet.derived || isSame) now.push(sheet);
    else {
      now.push(await withRowsOut(client, sheet, out, index));
      changed.push(index);
    }
  }
  return { sheets: now, changed };
}

async function withRowsOut(
  client: Client,
  sheet: IntakeSheet,
  out: ReadonlyMap<number, string | null>,
  index: number,
): Promise<IntakeSheet> {
  const known = sheet.leftOut ?? [];
  const back = known.filter(({ row, takenIn }) => !takenIn && !out.has(row));
  const staged = raw(stagedName(sheet.staged));
  const columns = sheet.columns.map((_, column) => `c${column}`).join(', ');
  if (back.length > 0)
    await client.query(
      sql`
        insert into ${staged} (_row, ${raw(columns)})
        select (r ->> 'row')::bigint, ${raw(sheet.columns.map((_, column) => `nullif(r -> 'cells' ->> ${column}, '')`).join(', '))}
        from jsonb_array_elements(${JSON.stringify(back)}::jsonb) r
      `,
    );
  const leaving = [...out.keys()].filter((row) => !known.some((one) => one.row === row && !one.takenIn));
  const { rows: gone } = await client.query<{ row: number; cells: (string | null)[] }>(
    sql`
      delete from ${staged} where _row = any(${leaving}) returning _row::int as row, array[${raw(columns)}] as cells
    `,
  );
  const missing = leaving.find((row) => !gone.some((one) => one.row === row));
  if (missing !== undefined)
    throw refuse(
      422,
      `${sheet.name} has no row ${missing.toLocaleString('en')}.`,
      'Count the rows below the names of the columns from 1.',
      `/tables/${index}/leaveOut`,
    );
  const byHand = gone
    .filter(({ row }) => !known.some((one) => one.row === row))
    .map(({ row, cells }): LeftOutRow => {
      const where = out.get(row) ?? null;
      const why =
        where === null ? { why: 'left out by hand', byHand: true as const } : { why: where, where: true as const };
      return { row, cells: cells.map((cell) => cell ?? ''), ...why };
    });
  const leftOut = [
    ...known.flatMap(({ takenIn: _, ...one }): LeftOutRow[] => {
      const where = out.get(one.row);
      if (where === undefined) return one.byHand || one.where ? [] : [{ ...one, takenIn: true as const }];
      // What a person did can be done another way now.
      if (!one.byHand && !one.where) return [one];
      const { byHand: _byHand, where: _where, ...row } = one;
      return [
        where === null
          ? { ...row, why: 'left out by hand', byHand: true as const }
          : { ...row, why: where, where: true as const },
      ];
    }),
    ...byHand,
  ].sort((a, b) => a.row - b.row);
  return profiledAnew(client, { ...sheet, leftOut, rows: sheet.rows + back.length - gone.length });
}

/** With the spellings that were found beside those of other sheets, where a profile by itself looks for none. */
const withSpellings = (now: ColumnProfile, { misspellings }: ColumnProfile): ColumnProfile =>
  misspellings && !now.misspellings ? { ...now, misspellings } : now;

/** The sheet with the profiles of its rows as they are now; what the file declares, or a formula makes, stays so. */
async function profiledAnew(client: Client, sheet: IntakeSheet): Promise<IntakeSheet> {
  const profilers = sheet.columns.map(({ name }, column) => new ColumnProfiler(name, column === 0));
  await client.query(
    sql`
      declare rows_now no scroll cursor for
      select ${raw(sheet.columns.map((_, column) => `c${column}`).join(', '))} from ${raw(stagedName(sheet.staged))}
    `,
  );
  for (;;) {
    const { rows } = await client.query<Record<string, string | null>>(sql`fetch ${raw(String(chunk))} from rows_now`);
    if (rows.length === 0) break;
    for (const row of rows) profilers.forEach((profiler, column) => profiler.take(row[`c${column}`] ?? ''));
  }
  await client.query('close rows_now');
  const found = amongSiblings(profilers.map((profiler) => profiler.profile(sheet.read.delimiter)));
  const columns = sheet.columns.map((before, column): ColumnProfile =>
    before.declared || before.cleaned ? before : withSpellings(found[column] as ColumnProfile, before),
  );
  const unique = profilers.flatMap((profiler, column) => (profiler.mayBeKey ? [column] : []));
  return confirmKeys(client, { ...sheet, columns, unique });
}
