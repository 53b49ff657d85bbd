import { NearMatches } from '$core/intake/matching/nearMatches';
import type { ColumnMapping, IntakeSheet } from '$core/intake/intake';
import { findField } from '$core/model/model';
import { quoteIdentifier } from '$core/base/sql';
import { shownType } from '$core/formula/shownType';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { homeOf, tableSql } from '../../access/workspaceState';
import type { Client, Pool } from '../../database/pool';
import { notHere, refuse } from '../../base/refusal';
import { textSql } from '../../fieldTypes/registry';
import { titleSql } from '../../query/selection';
import { cleanedSql } from '../staged/cleaning';
import { readIntake, requireState } from '../intakes';
import { stagedName } from '../staged/stagedName';
import { empty, raw, sql } from '../../base/sql';

/** A text of a link column that finds no target, and what may be meant. */
export interface NearTarget {
  readonly text: string;
  /** Rows that say it. */
  readonly count: number;
  readonly candidates: readonly { readonly key: string; readonly title: string; readonly score: number }[];
}

/** Texts looked at, the most frequent first; the answer says how many there are. */
const mostTexts = 100_000;
const mostTargets = 500_000;
/** In milliseconds: how long the comparison holds the process before others get their turn. */
const slice = 20;

/**
 * The texts of a link column that find no target, each with what may be meant, the nearest first. Those without any
 * near one come last.
 */
export async function nearTargets(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  place: { sheet: number; column: number; limit: number },
): Promise<{ texts: readonly NearTarget[]; missing: number; near: number }> {
  const intake = await readIntake(pool, access, id);
  requireState(intake, ['ready', 'undone', 'loaded']);
  const sheet = intake.sheets[place.sheet];
  const mapping = intake.proposal?.mappings
    .find((one) => one.sheet === place.sheet)
    ?.columns.find((one) => one.column === place.column);
  if (!sheet || !mapping) throw notHere('column');
  if (mapping.match === undefined) throw refuse(422, 'This column is no link.', 'Take it as a link first.');
  if (mapping.also)
    throw refuse(422, 'Two columns together tell these targets.', 'Correct the spellings of each column in the file.');
  const client = await pool.connect();
  try {
    const targets = await targetTexts(client, access, intake.sheets, intake.proposal?.mappings ?? [], mapping);
    const known = new Set(targets.map(({ key }) => key));
    const missing = (await textsSaid(client, sheet, mapping)).filter(({ text }) => !known.has(text));
    const texts = await nearest(missing, targets);
    return {
      texts: texts.slice(0, place.limit),
      missing: missing.length,
      near: texts.filter(({ candidates }) => candidates.length > 0).length,
    };
  } finally {
    client.release();
  }
}

/** What a column says, cleaned but for spellings that are confirmed already, which are looked at again. */
async function textsSaid(
  client: Client,
  { staged }: IntakeSheet,
  { column, clean }: ColumnMapping,
): Promise<{ text: string; count: number }[]> {
  const said = cleanedSql('s', column, { ...clean, replace: [] });
  const isList = clean?.separator !== undefined;
  const words = raw(isList ? 'loom.trimmed(w)' : said);
  const { rows } = await client.query<{ text: string; count: number }>(
    sql`
      select ${words} as text, count(*) as count
      from ${raw(stagedName(staged))} s
      ${isList ? sql`cross join lateral unnest(string_to_array(${raw(said)}, ';')) w` : empty}
      where ${words} is not null
      group by 1
      order by 2 desc, 1
      limit ${mostTexts}
    `,
  );
  return rows;
}

/** Up to three targets that are nearly each text, the best first; others are let in between. */
async function nearest(
  missing: readonly { readonly text: string; readonly count: number }[],
  targets: readonly { readonly key: string; readonly title: string }[],
): Promise<NearTarget[]> {
  const near = new NearMatches(targets.map(({ key }) => key));
  // Where a key is not what people call it, the title is looked at as well.
  const titled = targets.some(({ key, title }) => key !== title)
    ? new NearMatches(targets.map(({ title }) => title))
    : null;
  const texts: NearTarget[] = [];
  let until = performance.now() + slice;
  for (const { text, count } of missing) {
    const found = [...near.of(text), ...(titled?.of(text) ?? [])].sort((a, b) => b.score - a.score);
    const once = found.filter(({ target }, at) => found.findIndex((other) => other.target === target) === at);
    const candidates = once.slice(0, 3).flatMap(({ target, score }) => {
      const one = targets[target];
      return one ? [{ ...one, score }] : [];
    });
    texts.push({ text, count, candidates });
    if (performance.now() < until) continue;
    await new Promise((resolve) => setImmediate(resolve));
    until = performance.now() + slice;
  }
  return texts.sort((a, b) => (b.candidates[0]?.score ?? 0) - (a.candidates[0]?.score ?? 0) || b.count - a.count);
}

/** What the targets of a link are identified by: in the sheets that come with it, and in the table as it stands. */
async function targetTexts(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
  mappings: readonly { readonly sheet: number; readonly table: string; readonly columns: readonly ColumnMapping[] }[],
  { match = '' }: ColumnMapping,
): Promise<{ key: string; title: string }[]> {
  const texts: { key: string; title: string }[] = [];
  for (const { sheet, columns } of mappings) {
    const own = columns.find(({ field }) => field === match);
    const staged = sheets[sheet]?.staged;
    if (!own || staged === undefined) continue;
    const key = cleanedSql('s', own.column, own.clean);
    const { rows } = await client.query<{ key: string }>(
      sql`
        select distinct ${raw(key)} as key
        from ${raw(stagedName(staged))} s
        where ${raw(key)} is not null limit ${mostTargets}
      `,
    );
    texts.push(...rows.map((row) => ({ key: row.key, title: row.key })));
  }
  const standing = findField(access.workspace.model, match);
  if (standing) {
    const { field, table } = standing;
    const stored = textSql(
      `t.${quoteIdentifier(field.key)}`,
      shownType(access.workspace.model, field),
      homeOf(access.workspace, table).zone,
    );
    const { rows } = await client.query<{ key: string; title: string }>(
      sql`
        select ${raw(stored)} as key, ${raw(titleSql(access, table, 't'))} as title
        from ${tableSql(access.workspace, table)} t
        where ${raw(stored)} is not null limit ${mostTargets}
      `,
    );
    texts.push(...rows);
  }
  return texts;
}
