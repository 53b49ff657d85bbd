import { distance } from 'fastest-levenshtein';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import type { Effect } from '$core/changes/effect';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName } from '../access/workspaceState';
import type { Client } from '../database/pool';
import { textSql } from '../fieldTypes/registry';
import { raw, sql } from '../base/sql';

/** So many unmatched texts are compared with the targets, the most frequent first. */
const mostCompared = 200;

/**
 * How many texts of a field say a record of the target, and for those that say none what may be meant. A near miss
 * differs by few letters for its length, white space, letter case and accents aside.
 */
export async function nearMissesOf(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  from: Field,
  target: Table | null,
  match: Field | null,
  confirmed: Readonly<Record<string, number>>,
): Promise<{ found: number; missed: number; words: number; nearMisses: Effect['nearMisses'] }> {
  const { workspace } = access;
  const stored = table.fields.find(({ id }) => id === from.id);
  if (!stored) return { found: 0, missed: 0, words: 0, nearMisses: [] };
  const zone = homeOf(workspace, table).zone;
  const written = textSql(`r.${quoteIdentifier(stored.key)}`, shownType(workspace.model, stored), zone);
  const several = stored.type.kind === 'options';
  const source = `${tableName(workspace, table)} r${several ? `, regexp_split_to_table(${written}, '[;,]') w` : ''}`;
  const known = match && target?.fields.find(({ id }) => id === match.id);
  const said = known
    ? `loom.trimmed(${textSql(`x.${quoteIdentifier(known.key)}`, shownType(workspace.model, known), zone)})`
    : null;
  const targets =
    said && target
      ? `
        select ${said} as word, lower(${said}) as small, x._id as id
        from ${tableName(workspace, target)} x
        where ${said} is not null
      `
      : `select null::text as word, null::text as small, null::bigint as id where false`;
  const { rows } = await client.query<{ word: string; n: number; total: number; missed: number; words: number }>(
    // Texts are gathered as they are written and trimmed after: each distinct one once.
    sql`
      with written as (
        select ${raw(several ? 'w' : written)} as text, count(*) as n from ${raw(source)} group by 1
      ),
        words as (select loom.trimmed(text) as word, sum(n)::bigint as n from written group by 1),
        once as (select word from (${raw(targets)}) t group by 1 having count(*) = 1),
        small as (select small from (${raw(targets)}) t group by 1 having count(*) = 1),
        missing as (
          select w.word, w.n
          from words w
          where w.word is not null and not exists (select from once where once.word = w.word)
            and not exists (select from small where small.small = lower(w.word))
            and not w.word = any(${Object.keys(confirmed)})
        )
      select m.word, m.n, (select coalesce(sum(n), 0) from words where word is not null)::bigint as total,
        (select coalesce(sum(n), 0) from missing)::bigint as missed, (select count(*) from missing) as words
      from (select 1) one
      left join (select * from missing order by n desc, word limit ${mostCompared}) m on true
    `,
  );
  const { total = 0, missed = 0, words = 0 } = rows[0] ?? {};
  const unmatched = rows.filter((row) => row.word !== null);
  if (unmatched.length === 0 || !said || !target) return { found: total - missed, missed, words, nearMisses: [] };
  const { rows: candidates } = await client.query<{ id: number; title: string }>(
    sql`select id, word as title from (${raw(targets)}) t order by id limit 50000`,
  );
  const plain = candidates.map((one) => ({ ...one, plain: plainly(one.title) }));
  const nearMisses = unmatched.map(({ word: text, n }) => {
    const wanted = plainly(text);
    const near = plain
      .filter((one) => Math.abs(one.plain.length - wanted.length) <= 3)
      .map((one) => ({ ...one, apart: distance(one.plain, wanted) }))
      .filter(({ apart }) => apart <= Math.max(1, Math.floor(wanted.length / 4)))
      .sort((a, b) => a.apart - b.apart || a.id - b.id)
      .slice(0, 3);
    return { text, count: n, candidates: near.map(({ id, title }) => ({ id, title })) };
  });
  return { found: total - missed, missed, words, nearMisses };
}

/** A text by which near spellings are compared: letters and digits, without accents or letter case. */
export const plainly = (text: string): string =>
  text
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, '');
