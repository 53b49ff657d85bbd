import { counted } from '$core/base/counted';
import { goesTo } from '$core/parts/impact';
import { fieldOf } from '$core/model/model';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import type { ChangeField } from '$core/types/change';
import type { Field } from '$core/types/field';
import type { EnteredType } from '$core/fieldTypes/registry';
import { homeOf, tableName } from '../../access/workspaceState';
import { titleSql } from '../../query/selection';
import { conversionSql } from '../../fieldTypes/conversion';
import { textSql } from '../../fieldTypes/registry';
import { attempt, countOf, durationOf, formulaSamples, type Counted, type Counting } from './counting';
import { changesValues } from './retype';
import { raw, sql } from '../../base/sql';

/** What a change of a field would do to what is stored in it. */
export async function changedField(change: ChangeField, counting: Counting): Promise<Counted> {
  const { client, access, before, after, table } = counting;
  const old = fieldOf(before, change.field).field;
  const now = fieldOf(after, change.field).field;
  const stored = table.fields.find(({ id }) => id === old.id);
  if (!stored || stored.type.kind === 'counterpart') return {};
  const name = tableName(access.workspace, table);
  const column = quoteIdentifier(stored.key);
  const dependents = old.key === now.key && !change.set.type ? [] : goesTo(after, now.id).map(({ words }) => words);
  if (now.type.kind === 'formula') {
    if (JSON.stringify(old.type) === JSON.stringify(now.type)) return { dependents };
    const samples = await attempt(client, () => formulaSamples(client, access, after, table, now, 5), []);
    const entered =
      old.type.kind === 'formula' ? 0 : await countOf(client, `select count(${column}) as n from ${name}`);
    return {
      dependents,
      samples,
      counts: [
        { what: 'records calculated', count: await countOf(client, `select count(*) as n from ${name}`) },
        ...(entered > 0 ? [{ what: 'entered values put by, to come back with Undo', count: entered }] : []),
      ],
      duration: await durationOf(counting),
    };
  }
  const ruled = await ruleBroken(counting, change, stored, old, now);
  if (ruled) return { dependents, ...ruled };
  const works = changesValues(old, now) || Object.keys(change.merge ?? {}).length > 0;
  // A field that is calculated by this very plan has no values yet.
  if (!works || (stored.type.kind === 'formula' && old.type.kind !== 'formula')) return { dependents };
  return {
    dependents,
    ...(await converted(counting, change, column, shownType(before, old) as EnteredType, now.type as EnteredType, now)),
  };
}

/** Blanks or repeated values in the way of a new rule on one field; null when nothing is. */
async function ruleBroken(
  counting: Counting,
  change: ChangeField,
  stored: Field,
  old: Field,
  now: Field,
): Promise<Counted | null> {
  const { client, access, table } = counting;
  const name = tableName(access.workspace, table);
  const column = quoteIdentifier(stored.key);
  const firstOf = async (from: string) => {
    const { rows } = await client.query<{ id: number; title: string }>(
      sql`
        select r._id as id, ${raw(titleSql(access, table, 'r'))} as title
        from ${raw(from)}
        order by r._id limit 100
      `,
    );
    return rows;
  };
  if (now.required === true && old.required !== true) {
    const blank = await countOf(client, `select count(*) as n from ${name} where ${column} is null`);
    if (blank > 0 && change.fill != null) return { counts: [{ what: 'blanks filled', count: blank }] };
    if (blank > 0)
      return {
        breaks: [
          {
            message: `${counted(blank, 'record has', 'records have')} “${now.label}” blank.`,
            fix: 'Fill them first, let them be until they are changed, or put a value into them.',
          },
        ],
        broken: { count: blank, records: await firstOf(`${name} r where r.${column} is null`) },
        ways: ['fromNow', 'fill'],
      };
  }
  if (now.unique && !old.unique) {
    const repeated = `
      (
        select ${column} as v, count(*) as n, min(_id) as first
        from ${name}
        where ${column} is not null
        group by 1
        having count(*) > 1
      )
    `;
    const { rows } = await client.query<{ v: string | null; n: number; too_many: number }>(
      sql`
        select (${raw(textSql('d.v', stored.type))}) as v, d.n, (sum(d.n - 1) over ())::bigint as too_many
        from ${raw(repeated)} d
        order by d.n desc limit 5
      `,
    );
    const count = rows[0]?.too_many ?? 0;
    if (count > 0 && change.breaking === 'setAside') return { counts: [{ what: 'repeated values set aside', count }] };
    if (count > 0)
      return {
        breaks: [
          {
            message: `Values stand more than once: ${rows.map(({ v, n }) => `${v ?? ''} (${n} times)`).join(', ')}.`,
            fix: 'Fix them first, or set all but the first of each aside.',
          },
        ],
        broken: {
          count,
          records: await firstOf(`${name} r join ${repeated} d on d.v = r.${column} where r._id <> d.first`),
        },
        ways: ['setAside'],
      };
  }
  return null;
}

/** How many values fit the new type, counted in one pass, with the first that do not. */
async function converted(
  counting: Counting,
  change: ChangeField,
  column: string,
  from: EnteredType,
  to: EnteredType,
  now: Field,
): Promise<Counted> {
  const { client, access, table } = counting;
  const { zone } = homeOf(access.workspace, table);
  const name = tableName(access.workspace, table);
  const reading = { decimal: '.', dateOrder: 'ymd', ...change.reading, zone } as const;
  const { rows } = await client.query<{ fits: number; misfits: number }>(
    sql`
      select count(c) as fits, count(o) - count(c) as misfits
      from (
        select ${raw(column)} as o, ${raw(conversionSql(column, from, to, reading, change.merge))} as c
        from ${raw(name)}
      ) x
    `,
  );
  const { fits = 0, misfits = 0 } = rows[0] ?? {};
  // Misfits are worth seeing most; without any, a few values show how they are read.
  const value = conversionSql(`r.${column}`, from, to, reading, change.merge);
  const { rows: samples } = await client.query<{ record: string; before: string; after: string | null }>(
    sql`
      select ${raw(titleSql(access, table, 'r'))} as record,
        ${raw(textSql(`r.${column}`, from, zone))} as before,
        (select ${raw(textSql('c', to, zone))} from (select ${raw(value)} as c) y) as after
      from ${raw(name)} r
      where r.${raw(column)} is not null ${raw(misfits > 0 ? `and (${value}) is null` : '')}
      limit 5
    `,
  );
  const breaks =
    now.required === true && misfits > 0
      ? [
          {
            message: `${counted(misfits, 'value does', 'values do')} not fit, and “${now.label}” is required.`,
            fix: 'Correct them first, or let the field be blank.',
          },
        ]
      : [];
  return {
    counts: [
      { what: 'values converted', count: fits },
      { what: 'values set aside', count: misfits },
    ],
    breaks,
    samples: samples.map(({ record, before, after: fitting }) => ({
      record,
      before: before ?? '',
      after: fitting ?? 'set aside',
    })),
    duration: await durationOf(counting),
  };
}
