import { leastShare, linkCandidates } from '$core/intake/discover';
import type { FoundLink, IntakeSheet } from '$core/intake/intake';
import { speaksOfKey } from '$core/intake/naming';
import type { Client } from '../database/pool';
import { stagedName } from './stage';

/** Confirms on all rows which columns are keys, and puts those first whose name or place says so. */
export async function confirmKeys(client: Client, sheet: IntakeSheet): Promise<IntakeSheet> {
  const keys: number[] = [];
  for (const column of sheet.keys) {
    // Counted, or proved while the rows went by: certain already.
    if (sheet.columns[column]?.distinct === sheet.rows) keys.push(column);
    else {
      const { rowCount } = await client.query(`select 1 from ${stagedName(sheet.staged)} group by c${column} having count(*) > 1 limit 1`);
      if (rowCount === 0) keys.push(column);
    }
  }
  const likely = (column: number) => {
    const { name = '', type, longest = 0 } = sheet.columns[column] ?? {};
    return (speaksOfKey(name) ? 0 : 2) + (type === 'date' || type === 'yesNo' ? 4 : 0) + (longest > 24 ? 1 : 0) + column / 1000;
  };
  return { ...sheet, keys: keys.sort((a, b) => likely(a) - likely(b)) };
}

/** Tests the candidate pairs on all rows: each distinct value of a column is looked up once in the key. */
export async function confirmLinks(client: Client, sheets: readonly IntakeSheet[]): Promise<FoundLink[]> {
  const found: FoundLink[] = [];
  for (const { from, to } of linkCandidates(sheets)) {
    const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
    if (!source || !target) continue;
    const [values, keys] = [stagedName(source.staged), stagedName(target.staged)];
    const samples = source.columns[from.column]?.samples ?? [];
    // Most pairs fail on the first few values already.
    const hits = await client.query(`select 1 from ${keys} where c${to.column} = any($1) limit 1`, [samples]);
    if (hits.rowCount === 0 && samples.length >= 3) continue;
    const { rows } = await client.query<{ text: string; count: number; known: boolean; all: number; matching: number }>(
      `with distinct_values as (select c${from.column} as text, count(*) as count from ${values} where c${from.column} is not null group by 1),
            looked_up as (select d.text, d.count, exists (select 1 from ${keys} k where k.c${to.column} = d.text) as known from distinct_values d)
       select text, count, known, (select sum(count) from looked_up)::int as all, (select coalesce(sum(count), 0) from looked_up where known)::int as matching
       from looked_up order by known, count desc, text limit 50`,
    );
    const { all = 0, matching = 0 } = rows[0] ?? {};
    if (all === 0 || matching < all * leastShare) continue;
    const misfits = rows.filter(({ known }) => !known).map(({ text, count }) => ({ text, count }));
    found.push({ from, to, matching, missing: all - matching, misfits });
  }
  // One column points at one key: the one that takes most of it.
  return found
    .sort((a, b) => b.matching - a.matching || a.to.column - b.to.column)
    .filter((link, index, all) => all.findIndex((other) => other.from.sheet === link.from.sheet && other.from.column === link.from.column) === index);
}
