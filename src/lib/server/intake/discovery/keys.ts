import type { FoundLink, IntakeSheet } from '$core/intake/intake';
import { keysOf } from '$core/intake/keys';
import type { Client } from '../../database/pool';
import { countRepeated } from '../staged/rowsWhere';
import { stagedName } from '../staged/stagedName';
import { raw, sql } from '../../base/sql';

/** Confirms on all rows which columns hold each value once, and which of them may be the key. */
export async function confirmKeys(client: Client, sheet: IntakeSheet): Promise<IntakeSheet> {
  const unique: number[] = [];
  for (const column of sheet.unique) {
    // Counted, or proved while the rows went by: certain already.
    if (sheet.columns[column]?.distinct === sheet.rows) unique.push(column);
    else {
      const { rowCount } = await client.query(
        sql`
          select 1
          from ${raw(stagedName(sheet.staged))}
          group by c${raw(String(column))}
          having count(*) > 1 limit 1
        `,
      );
      if (rowCount === 0) unique.push(column);
    }
  }
  return { ...sheet, unique, keys: keysOf(sheet, unique) };
}

/** Holds keys of several columns, found on a sample, against all rows; where there is none, counts rows that are alike. */
export async function confirmWideKeys(client: Client, sheet: IntakeSheet): Promise<IntakeSheet> {
  const wide: (readonly number[])[] = [];
  for (const key of sheet.wideKeys ?? []) {
    const columns = key.map((column) => `c${column}`).join(', ');
    const { rowCount } = await client.query(
      sql`select 1 from ${raw(stagedName(sheet.staged))} group by ${raw(columns)} having count(*) > 1 limit 1`,
    );
    if (rowCount === 0) wide.push(key);
  }
  const repeated = await countRepeated(client, { ...sheet, wideKeys: wide });
  return { ...sheet, wideKeys: wide, ...(repeated > 0 ? { repeated } : {}) };
}

/** Sheets with the keys that links lead to before all others. */
export const withKeysPointedAt = (sheets: readonly IntakeSheet[], links: readonly FoundLink[]): IntakeSheet[] =>
  sheets.map((sheet, index) => {
    const pointedAt = new Set(links.flatMap(({ to, also }) => (to.sheet === index && !also ? [to.column] : [])));
    return sheet.derived || sheet.declared?.columns
      ? sheet
      : { ...sheet, keys: keysOf(sheet, sheet.unique, pointedAt) };
  });
