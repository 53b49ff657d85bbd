import { leastShare } from '$core/intake/discover';
import type { IntakeSheet } from '$core/intake/intake';
import type { FoundAmong } from '$core/intake/linkEvidence';
import { quoteText } from '$core/base/sql';
import type { Client } from '../../database/pool';
import { meantSql } from '../staged/cleaning';
import { stagedName } from '../staged/stagedName';
import { raw, sql } from '../../base/sql';

/** Values without a target that are kept as samples. */
export const shownMisfits = 50;

/** What a column says, as links are looked for in it: its texts, or where cells hold several values, each of them. */
export function sayings(
  sheet: IntakeSheet,
  column: number,
  separator?: string,
): { readonly from: string; readonly text: string } {
  const text = meantSql(sheet, column, 's');
  const staged = `${stagedName(sheet.staged)} s`;
  if (separator === undefined) return { from: staged, text };
  return {
    from: `${staged} cross join lateral unnest(string_to_array(${text}, ${quoteText(separator)})) w`,
    text: 'loom.trimmed(w)',
  };
}

export interface Inclusion extends FoundAmong {
  readonly misfits: readonly { readonly text: string; readonly count: number }[];
}

/**
 * Whether the values of a column are found among keys, and how many are not: one pass over the distinct values of both.
 * Null where too few are. `keys` selects the known texts as `text`, each once.
 */
export async function inclusion(
  client: Client,
  { from, text }: { from: string; text: string },
  keys: string,
  { least = leastShare, areDigits = false }: { readonly least?: number; readonly areDigits?: boolean } = {},
): Promise<Inclusion | null> {
  const { rows } = await client.query<{
    text: string;
    count: number;
    known: boolean;
    all: number;
    matching: number;
    values: number;
    met: number;
  }>(
    sql`
      with d as (
        select ${raw(text)} as text, count(*) as count
        from ${raw(from)}
        where ${raw(text)} is not null
        group by 1
      ),
        l as (
          select d.text, d.count, k.text is not null as known
          from d
          left join (${raw(keys)}) k on k.text = d.text
        )
      select text, count, known, (select sum(count) from l)::int as all,
        (select coalesce(sum(count), 0) from l where known)::int as matching,
        (select count(*) from l)::int as values,
        (select count(*) from l where known)::int as met
      from l
      order by known, count desc, text limit ${shownMisfits}
    `,
  );
  const { all = 0, matching = 0, values = 0, met = 0 } = rows[0] ?? {};
  if (all === 0 || matching < all * least) return null;
  return {
    matching,
    missing: all - matching,
    distinct: met,
    distinctMissing: values - met,
    ...(areDigits ? await amongNumbers(client, { from, text }, keys) : {}),
    misfits: rows.flatMap((row) => (row.known ? [] : [{ text: row.text, count: row.count }])),
  };
}

/** Numbers this near each other are looked at together. */
const neighbours = 100;

/** How many of a column's values lie where keys of digits do, and how many would be met there by chance. */
async function amongNumbers(
  client: Client,
  { from, text }: { from: string; text: string },
  keys: string,
): Promise<Pick<FoundAmong, 'numbers'>> {
  const { rows } = await client.query<{ least: number | null; most: number | null; values: number; expected: number }>(
    sql`
      with d as (
        select distinct ${raw(text)}::numeric as v from ${raw(from)} where ${raw(text)} ~ '^\\d{1,15}$'
      ),
        k as (
          select distinct k.text::numeric as v from (${raw(keys)}) k where k.text ~ '^\\d{1,15}$'
        ),
        near as (
          select div(v, ${neighbours}) as place, min(v) as least, max(v) as most,
            count(*) / (max(v) - min(v) + 1) as share
          from k
          group by 1
        )
      select min(v)::float8 as least, max(v)::float8 as most, count(*)::int as values,
        coalesce(sum(share), 0)::float8 as expected
      from d
      join near on place = div(v, ${neighbours}) and v between near.least and near.most
    `,
  );
  const { least, most, values = 0, expected = 0 } = rows[0] ?? {};
  return least == null || most == null ? {} : { numbers: { least, most, values, expected } };
}

/** Two columns of a row as one text. */
export const pairSql = (sheet: IntakeSheet, x: number, y: number): string =>
  `${meantSql(sheet, x, 's')} || E'\\x1f' || ${meantSql(sheet, y, 's')}`;
