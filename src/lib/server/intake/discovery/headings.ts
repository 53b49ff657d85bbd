import { quoteIdentifier } from '$core/base/sql';
import { isMeasured } from '$core/intake/discovery/splits';
import type { IntakeSheet } from '$core/intake/intake';
import { oneOf } from '$core/intake/naming';
import { isStored, ownTables } from '$core/model/model';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { tableName } from '../../access/workspaceState';
import { raw, sql } from '../../base/sql';
import type { Client } from '../../database/pool';
import { stagedName } from '../staged/stagedName';

/** So many columns, and so much of those that measure, have to be called like things that are known. */
const leastColumns = 3;
const leastShare = 0.6;
/** What columns are called after are not many. */
const mostThings = 5_000;
/** The likeliest keys of a sheet; of a wide one very many columns hold each value once. */
const mostKeys = 3;

/** What tells known things: where they stand, and what they are called. */
interface Known {
  readonly sheet?: number;
  readonly things: string;
  readonly from: string;
  readonly text: string;
}

/**
 * Sheets with the columns that are called like the things of another sheet or table, such as one for each apiary: they
 * may be rows. Nothing is turned by that; a person is asked.
 */
export async function withHeadings(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
): Promise<IntakeSheet[]> {
  const known = [...keysOf(sheets), ...standingKeys(access)];
  const now: IntakeSheet[] = [];
  for (const [index, sheet] of sheets.entries())
    now.push({ ...sheet, ...(await headingsOf(client, known, sheet, index)) });
  return now;
}

const keysOf = (sheets: readonly IntakeSheet[]): Known[] =>
  sheets.flatMap(({ name, columns, keys, rows, staged }, sheet) =>
    keys.slice(0, mostKeys).flatMap((column): Known[] => {
      const { type } = columns[column] ?? {};
      return type === 'text' && rows >= leastColumns && rows <= mostThings
        ? [{ sheet, things: name, from: stagedName(staged), text: `s.c${column}` }]
        : [];
    }),
  );

/** Only what an index finds: tables that stand may be large. */
const standingKeys = (access: WorkspaceAccess): Known[] =>
  ownTables(access.workspace.model).flatMap((table) =>
    table.fields.flatMap((field): Known[] =>
      field.unique && field.type.kind === 'text' && isStored(field) && !field.off
        ? [{ things: table.label, from: tableName(access.workspace, table), text: `s.${quoteIdentifier(field.key)}` }]
        : [],
    ),
  );

async function headingsOf(
  client: Client,
  known: readonly Known[],
  { columns, derived, declared, turned }: IntakeSheet,
  index: number,
): Promise<Pick<IntakeSheet, 'headings'>> {
  if (derived || declared?.columns || turned) return {};
  const names = columns.filter((profile) => profile.filled > 0 && isMeasured(profile)).map(({ name }) => name);
  if (names.length < leastColumns) return {};
  for (const { sheet, things, from, text } of known) {
    if (sheet === index) continue;
    const { rows } = await client.query<{ text: string }>(
      sql`select ${raw(text)} as text from ${raw(from)} s where ${raw(text)} = any(${names}::text[])`,
    );
    const met = new Set(rows.map((row) => row.text));
    if (met.size >= Math.max(leastColumns, names.length * leastShare))
      return { headings: { columns: names.filter((name) => met.has(name)), things, label: oneOf(things) } };
  }
  return {};
}
