import { ColumnProfiler } from '$core/intake/columns/profile';
import { isAddressPart } from '$core/intake/discovery/splits';
import {
  partsOf,
  type ColumnProfile,
  type IntakeSheet,
  type SplitException,
  type SplitOff,
  type SplitPart,
} from '$core/intake/intake';
import { pairNamed, thingsNamed } from '$core/intake/naming';
import { typeOfColumn } from '$core/intake/proposal/fieldType';
import { compareValues, isEnteredType, parseValue, type Reading } from '$core/fieldTypes/registry';
import type { Client } from '../../database/pool';
import { raw, sql } from '../../base/sql';
import { meantSql } from './cleaning';
import { stagedName } from './stagedName';

const shownExceptions = 50;

/** What a split is of, and how: all that a person or the search says of it. */
export type SplitAsked = Omit<SplitOff, 'exceptions'>;

/** Rows of a part come behind those of the parts before it. */
const rowsOfPart = 1_000_000_000_000;

/**
 * A sheet of what some columns of others say of each value of what tells them, in a staging table of its own: one of
 * what its rows say is kept, the most frequent unless asked otherwise; rows that say otherwise are told. Null where
 * more than `most` of a sheet's rows do.
 */
export async function derive(
  client: Client,
  sheets: readonly IntakeSheet[],
  split: SplitAsked,
  staged: string,
  most: number,
): Promise<IntakeSheet | null> {
  const name = stagedName(staged);
  const { sheet: index, determinant, dependents: columns, pair, keeps, reading, without = [] } = split;
  const sheet = sheets[index] as IntakeSheet;
  const parts = partsOf({ ...split, exceptions: [] }).filter((_, at) => !without.includes(at));
  const ages = typeof keeps === 'number' ? await agesOf(client, sheet, keeps, reading) : [];
  const said = parts.map((part, order) => {
    const from = sheets[part.sheet] as IntakeSheet;
    const saysAt = (column: number | null) => (column === null ? 'null' : meantSql(from, column, 's', true));
    const age = typeof keeps === 'number' && part.sheet === index ? `ages.age` : 'null::int';
    return `
      select ${order}::bigint * ${rowsOfPart} + s._row as place, ${age} as age,
        ${meantSql(from, part.determinant, 's', true)} as c0
        ${columns.map((_, at) => `, ${saysAt(part.dependents[at] ?? null)} as c${at + 1}`).join('')}
      from ${stagedName(from.staged)} s
      ${age === 'ages.age' ? `left join ages on ages.text = s.c${String(keeps)}` : ''}
      where s._unreadable is null
    `;
  });
  const kept = (at: number): string => {
    const own = `c${at + 1}`;
    if (pair && at === 0) return own;
    return keeps === undefined
      ? `mode() within group (order by ${own}) as ${own}`
      : `(array_agg(${own} order by age desc nulls last, place desc) filter (where ${own} is not null))[1] as ${own}`;
  };
  await client.query(
    sql`
      create unlogged table ${raw(name)} as
      with ages as (
        select text, max(age) as age
        from unnest(${ages}::text[]) with ordinality as a(text, age)
        group by 1
      )
      select row_number() over (order by first) as _row, null::text as _unreadable, null::text as _refused, null::bigint as _target,
        c0${raw(columns.map((_, at) => `, c${at + 1}`).join(''))}
      from (
        select c0, min(place) as first${raw(columns.map((_, at) => `, ${kept(at)}`).join(''))}
        from (${raw(said.join(' union all '))}) s
        group by c0${raw(pair ? ', c1' : '')}
      ) g
      where c0 is not null${raw(pair ? ' and c1 is not null' : '')}
    `,
  );
  const exceptions: SplitOff['exceptions'][number][] = [];
  for (const part of parts) {
    const found = await exceptionsOf(client, sheets[part.sheet] as IntakeSheet, name, part, pair === true, most);
    if (found === null) {
      await client.query(sql`drop table ${raw(name)}`);
      return null;
    }
    exceptions.push(...found.map((one) => (part.sheet === index ? one : { ...one, sheet: part.sheet })));
  }
  const profiles = await profiled(
    client,
    name,
    [determinant, ...columns].map((column) => sheet.columns[column] as ColumnProfile),
    pair ? 2 : 1,
  );
  const [key] = profiles;
  // A thing's name may tell it as well as its code.
  const isName = ({ type, distinct, filled, name: label }: ColumnProfile) =>
    type === 'text' &&
    distinct !== null &&
    distinct === filled &&
    filled === key?.filled &&
    !isAddressPart({ name: label });
  const tell = pair ? [] : profiles.flatMap((profile, at) => (at === 0 || isName(profile) ? [at] : []));
  return {
    file: sheet.file,
    read: sheet.read,
    heading: sheet.heading,
    name: pair ? pairNamed(key?.name ?? '', profiles[1]?.name ?? '') : thingsNamed(key?.name ?? sheet.name, sheet.name),
    rows: key?.filled ?? 0,
    notes: [],
    columns: profiles,
    keys: tell,
    unique: tell,
    ...(pair ? { wideKeys: [[0, 1]] } : {}),
    staged,
    derived: { ...split, exceptions },
  };
}

/**
 * Rows that say otherwise than what is kept, and those that say something of a thing without telling which, by column;
 * null where a column has more of them than `most` of the rows.
 */
async function exceptionsOf(
  client: Client,
  sheet: IntakeSheet,
  name: string,
  { determinant, dependents }: SplitPart,
  pair: boolean,
  most: number,
): Promise<SplitOff['exceptions'] | null> {
  const exceptions: SplitOff['exceptions'][number][] = [];
  const says = (column: number) => meantSql(sheet, column, 's', true);
  const [beside] = dependents;
  const tells = pair && typeof beside === 'number' ? [determinant, beside] : [determinant];
  const met = tells.map((column, at) => `d.c${at} = ${says(column)}`).join(' and ');
  for (const [at, column] of dependents.entries()) {
    if (column === null) continue;
    const kept = raw(`d.c${at + 1}`);
    const said = raw(says(column));
    const { rows } = await client.query<SplitException & { all: number }>(
      sql`
        select coalesce(${raw(pair ? `d.c0 || ', ' || d.c1` : 'd.c0')}, '') as key, coalesce(${kept}, '') as kept, s.c${raw(String(column))} as other,
          count(*) as rows, sum(count(*)) over ()::int as all
        from ${raw(stagedName(sheet.staged))} s
        left join ${raw(name)} d on ${raw(met)}
        where s._unreadable is null and ${said} is not null and ${said} is distinct from ${kept}
        group by 1, 2, 3
        order by 4 desc, 1
        limit ${shownExceptions}
      `,
    );
    const all = rows[0]?.all ?? 0;
    // What the beginning suggested, the rest of the rows may deny.
    if (all > sheet.rows * most) return null;
    const samples = rows.map(({ key, kept: said, other, rows: count }) => ({ key, kept: said, other, rows: count }));
    if (all > 0) exceptions.push({ column, rows: all, samples });
  }
  return exceptions;
}

/** The texts of a column from the oldest to the newest, as they are read; what cannot be read is older than all. */
async function agesOf(client: Client, sheet: IntakeSheet, column: number, reading?: Reading): Promise<string[]> {
  const profile = sheet.columns[column] as ColumnProfile;
  const type = typeOfColumn(profile, {});
  if (!isEnteredType(type)) return [];
  const { rows } = await client.query<{ text: string }>(
    sql`
      select distinct ${raw(`c${column}`)} as text
      from ${raw(stagedName(sheet.staged))}
      where ${raw(`c${column}`)} is not null
    `,
  );
  const read = rows.map(({ text }) => ({ text, value: parseValue(text, type, reading ?? profile.reading) }));
  return read
    .flatMap(({ text, value }) => (value.ok ? [{ text, value: value.value }] : []))
    .sort((a, b) => compareValues(a.value, b.value, type))
    .map(({ text }) => text);
}

/**
 * Profiles the derived rows, of which the first `tells` columns are the key; what a column is has been seen on all the
 * rows of the flat sheet.
 */
async function profiled(
  client: Client,
  name: string,
  as: readonly ColumnProfile[],
  tells: number,
): Promise<ColumnProfile[]> {
  const profilers = as.map((profile) => new ColumnProfiler(profile.name));
  const cursor = 'derived_rows';
  await client.query(
    sql`
      declare ${raw(cursor)} no scroll cursor for
      select ${raw(as.map((_, at) => `c${at}`).join(', '))}
      from ${raw(name)}
    `,
  );
  for (;;) {
    const { rows } = await client.query<Record<string, string | null>>(sql`fetch 5000 from ${raw(cursor)}`);
    if (rows.length === 0) break;
    for (const row of rows) profilers.forEach((profiler, at) => profiler.take(row[`c${at}`] ?? ''));
  }
  await client.query(sql`close ${raw(cursor)}`);
  return profilers.map((profiler, at) => {
    const own = profiler.profile();
    const { reading, digits, evidence, ambiguous, misspellings, ...flat } = as[at] as ColumnProfile;
    // What repeats on the flat sheet may be each thing's own here.
    const type =
      flat.type === 'option' && (at < tells || (own.distinct ?? Infinity) * 2 > own.filled) ? 'text' : flat.type;
    const misfits = type === 'text' || type === 'option' || type === 'options' ? 0 : own.filled - own.fits[type];
    return { ...own, type, reading, digits, evidence, ambiguous, misfits, ...(misspellings ? { misspellings } : {}) };
  });
}
