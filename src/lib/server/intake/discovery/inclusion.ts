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
    ...(areDigits ? await keysBetween(client, { from, text }, keys) : {}),
    misfits: rows.flatMap((row) => (row.known ? [] : [{ text: row.text, count: row.count }])),
  };
}

/** How many keys of digits lie between the least and the most of a column's values, but for a tenth that may be outliers. */
async function keysBetween(
  client: Client,
  { from, text }: { from: string; text: string },
  keys: string,
): Promise<Pick<FoundAmong, 'between'>> {
  const { rows } = await client.query<{ least: number | null; most: number | null; keys: number }>(
    sql`
      with d as (
        select min(v) as least, percentile_disc(0.9) within group (order by v) as most
        from (select distinct ${raw(text)}::numeric as v from ${raw(from)} where ${raw(text)} ~ '^\\d{1,15}$') w
      )
      select least::float8, most::float8, (
        select count(distinct k.text) from (${raw(keys)}) k
        where case when k.text ~ '^\\d{1,15}$' then k.text::numeric between d.least and d.most end
      )::int as keys
      from d
    `,
  );
  const { least, most, keys: met } = rows[0] ?? {};
  return least == null || most == null ? {} : { between: { least, most, keys: met ?? 0 } };
}

/** Two columns of a row as one text. */
export const pairSql = (sheet: IntakeSheet, x: number, y: number): string =>
  `${meantSql(sheet, x, 's')} || E'\\x1f' || ${meantSql(sheet, y, 's')}`;
