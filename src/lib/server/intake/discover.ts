import { leastShare, linkCandidates, speaksOf } from '$core/intake/discover';
import type { FoundLink, IntakeSheet, StandingMatch } from '$core/intake/intake';
import { speaksOfKey } from '$core/intake/naming';
import { isStored, ownTables, type Field, type Table } from '$core/model/model';
import { quoteIdentifier } from '$core/sql';
import { tableName, type Seat } from '../access/seat';
import type { Client } from '../database/pool';
import { cleanedSql } from './cleaning';
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

/** Fields that tell the records of a table: each once, or the title. */
const tellingFields = (table: Table): Field[] =>
  table.fields.filter(
    (field) =>
      isStored(field) && !field.off && (field.unique || field.id === table.title) && ['text', 'runningNumber', 'email', 'number'].includes(field.type.kind),
  );

/** Finds which columns of a sheet hold keys of tables that stand: first by a few samples, then on all rows. */
export async function standingMatches(client: Client, seat: Seat, sheet: IntakeSheet): Promise<StandingMatch[]> {
  const able = sheet.columns.flatMap((profile, column) =>
    profile.filled > 0 && ['text', 'option', 'number', 'email'].includes(profile.type) && profile.longest <= 200 ? [{ profile, column }] : [],
  );
  const found: StandingMatch[] = [];
  for (const table of ownTables(seat.workspace.model))
    for (const key of tellingFields(table)) {
      const name = tableName(seat.workspace, table);
      const stored = `t.${quoteIdentifier(key.key)}${key.type.kind === 'number' ? '::text' : ''}`;
      const samples = able.flatMap(({ profile }) => profile.samples);
      const { rows: known } = await client.query<{ text: string }>(`select distinct ${stored} as text from ${name} t where ${stored} = any($1)`, [samples]);
      const met = new Set(known.map(({ text }) => text));
      for (const { profile, column } of able) {
        const hits = profile.samples.filter((text) => met.has(text)).length;
        if (hits === 0 || hits * 2 < profile.samples.length) continue;
        // Small whole numbers lie in any key of small numbers.
        if (profile.type === 'number' && !speaksOf(profile.name, table.label, key.label)) continue;
        const text = cleanedSql(`s.c${column}`, { blanks: profile.blankWords.map((one) => one.text) });
        const { rows } = await client.query<{ text: string; count: number; known: boolean; all: number; matching: number }>(
          `with d as (select ${text} as text, count(*) as count from ${stagedName(sheet.staged)} s where ${text} is not null group by 1),
                k as (select distinct ${stored} as text from ${name} t),
                l as (select d.text, d.count, k.text is not null as known from d left join k on k.text = d.text)
           select text, count, known, (select sum(count) from l)::int as all, (select coalesce(sum(count), 0) from l where known)::int as matching from l order by known, count desc, text limit 50`,
        );
        const { all = 0, matching = 0 } = rows[0] ?? {};
        if (all === 0 || matching < all * leastShare) continue;
        found.push({
          column,
          table: table.id,
          field: key.id,
          matching,
          missing: all - matching,
          misfits: rows.filter((row) => !row.known).map((row) => ({ text: row.text, count: row.count })),
        });
      }
    }
  // One column tells one table: the one that takes most of it, rather by what each record has once.
  return found.sort((a, b) => b.matching - a.matching).filter((one, index, all) => all.findIndex(({ column }) => column === one.column) === index);
}
