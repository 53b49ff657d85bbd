import { discovering, type Dependency, type Discovered } from '$core/intake/discovery/search';
import { isAddressPart, splitsOf } from '$core/intake/discovery/splits';
import {
  partsOf,
  type ColumnProfile,
  type ColumnType,
  type FoundLink,
  type IntakeSheet,
  type SplitException,
  type SplitOff,
  type SplitPart,
} from '$core/intake/intake';
import { thingsNamed } from '$core/intake/naming';
import { ColumnProfiler } from '$core/intake/columns/profile';
import type { Client } from '../../database/pool';
import { meantSql } from './cleaning';
import type { StagedSheet } from './stage';
import { stagedName } from './stagedName';
import { raw, sql } from '../../base/sql';

/** In milliseconds: how long the search holds the process before others get their turn. */
const slice = 15;
/** Share of rows that may disagree with the thing they belong to. */
const mostExceptions = 0.03;
const shownExceptions = 50;
/** Wider sheets are searched in the columns that are most likely to tell something: words and codes, then the first ones. */
const mostSearched = 60;

/** What is counted tells no things. */
const measured: ReadonlySet<ColumnType> = new Set(['number', 'money', 'percent', 'duration', 'yesNo']);

/** Searches a sheet's sample, letting others work in between. */
async function searched({ sheet, sample }: StagedSheet): Promise<Discovered> {
  const { columns: all, places: stand, rows } = sample.encoded();
  const isMeasured = (at: number) => Number(measured.has(sheet.columns[stand[at] ?? -1]?.type ?? 'text'));
  const likely = all.map((_, at) => at).sort((a, b) => isMeasured(a) - isMeasured(b) || a - b);
  const chosen = likely.slice(0, mostSearched).sort((a, b) => a - b);
  const [columns, places] = [chosen.flatMap((at) => all[at] ?? []), chosen.map((at) => stand[at] ?? at)];
  const steps = discovering(columns, rows);
  let until = performance.now() + slice;
  for (;;) {
    const { done, value } = steps.next();
    if (done) {
      const place = (column: number) => places[column] ?? column;
      return {
        keys: value.keys.map((key) => key.map(place)),
        dependencies: value.dependencies.map((one): Dependency => ({
          ...one,
          determinants: one.determinants.map(place),
          dependent: place(one.dependent),
        })),
      };
    }
    if (performance.now() < until) continue;
    await new Promise((resolve) => setImmediate(resolve));
    until = performance.now() + slice;
  }
}

/**
 * What a flat sheet repeats: found on its beginning, held against all its rows, and put in staging tables of its own, so
 * that it is proposed, corrected and loaded as any other sheet. `linked`: columns that point at another sheet. With the
 * sheet itself and the keys of several columns that it may have.
 */
export async function splitOff(
  client: Client,
  staged: StagedSheet,
  sheets: readonly IntakeSheet[],
  index: number,
  linked: ReadonlySet<number>,
): Promise<{ readonly own: IntakeSheet; readonly made: readonly IntakeSheet[] }> {
  const { sheet } = staged;
  const { keys, dependencies } = await searched(staged);
  const wide = keys.filter((key) => key.length > 1).slice(0, 5);
  const own: IntakeSheet = wide.length > 0 ? { ...sheet, wideKeys: wide } : sheet;
  const made: IntakeSheet[] = [];
  for (const { determinant, dependents } of splitsOf(sheet.columns, dependencies, Math.max(sheet.rows, 1), linked)) {
    const part = { sheet: index, determinant, dependents: dependents.map(({ column }) => column) };
    const one = await derive(client, sheets, part, `${sheet.staged}_d${determinant}`);
    if (one) made.push(one);
  }
  return { own, made };
}

/** The links of sheets to what was split off them, and of what was split off to what it tells in turn. */
export function linksToSplits(sheets: readonly IntakeSheet[]): FoundLink[] {
  const placeOf = (sheet: number, column: number, but: number): number =>
    sheets.findIndex(
      ({ derived }, at) =>
        at !== but && derived && partsOf(derived).some((part) => part.sheet === sheet && part.determinant === column),
    );
  return sheets.flatMap(({ derived, columns }, place) => {
    if (!derived) return [];
    const own = partsOf(derived).flatMap(({ sheet, determinant }) => {
      const flat = sheets[sheet];
      return flat ? [linkToSplit(flat, sheet, determinant, place)] : [];
    });
    const further = derived.dependents.flatMap((column, at): FoundLink[] => {
      const to = placeOf(derived.sheet, column, place);
      if (to < 0) return [];
      const matching = (columns[at + 1]?.filled ?? 0) - blankRows(columns[at + 1]);
      return [
        { from: { sheet: place, column: at + 1 }, to: { sheet: to, column: 0 }, matching, missing: 0, misfits: [] },
      ];
    });
    return [...own, ...further];
  });
}

/** Every filled row of the determinant finds its thing in the sheet that was split off. */
function linkToSplit(sheet: IntakeSheet, index: number, determinant: number, place: number): FoundLink {
  const filled = (sheet.columns[determinant]?.filled ?? 0) - blankRows(sheet.columns[determinant]);
  return {
    from: { sheet: index, column: determinant },
    to: { sheet: place, column: 0 },
    matching: filled,
    missing: 0,
    misfits: [],
  };
}

const blankRows = (profile: ColumnProfile | undefined): number =>
  profile?.blankWords.reduce((sum, { count }) => sum + count, 0) ?? 0;

/**
 * A sheet of what some columns of others say of each value of what tells them, in a staging table of its own: what most
 * rows say is kept, those that say otherwise are told. Null where more than `most` of a sheet's rows do.
 */
export async function derive(
  client: Client,
  sheets: readonly IntakeSheet[],
  split: Pick<SplitOff, 'sheet' | 'determinant' | 'dependents' | 'also'>,
  staged: string,
  most = mostExceptions,
): Promise<IntakeSheet | null> {
  const name = stagedName(staged);
  const { sheet: index, determinant, dependents: columns } = split;
  const sheet = sheets[index] as IntakeSheet;
  const parts = partsOf({ ...split, exceptions: [] });
  const said = parts.map((part, order) => {
    const from = sheets[part.sheet] as IntakeSheet;
    const saysAt = (column: number | null) => (column === null ? 'null' : meantSql(from, column, 's', true));
    return `
      select ${order}::bigint * 1000000000000 + s._row as place, ${meantSql(from, part.determinant, 's', true)} as c0
        ${columns.map((_, at) => `, ${saysAt(part.dependents[at] ?? null)} as c${at + 1}`).join('')}
      from ${stagedName(from.staged)} s
      where s._unreadable is null
    `;
  });
  await client.query(
    sql`
      create unlogged table ${raw(name)} as
      select row_number() over (order by first) as _row, null::text as _unreadable, null::text as _refused, null::bigint as _target,
        c0${raw(columns.map((_, at) => `, c${at + 1}`).join(''))}
      from (
        select c0, min(place) as first${raw(columns.map((_, at) => `, mode() within group (order by c${at + 1}) as c${at + 1}`).join(''))}
        from (${raw(said.join(' union all '))}) s
        group by 1
      ) g
      where c0 is not null
    `,
  );
  const exceptions: SplitOff['exceptions'][number][] = [];
  for (const part of parts) {
    const found = await exceptionsOf(client, sheets[part.sheet] as IntakeSheet, name, part, most);
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
  );
  const [key] = profiles;
  // A thing's name may tell it as well as its code.
  const isName = ({ type, distinct, filled, name: label }: ColumnProfile) =>
    type === 'text' &&
    distinct !== null &&
    distinct === filled &&
    filled === key?.filled &&
    !isAddressPart({ name: label });
  const tell = profiles.flatMap((profile, at) => (at === 0 || isName(profile) ? [at] : []));
  return {
    file: sheet.file,
    read: sheet.read,
    heading: sheet.heading,
    name: thingsNamed(key?.name ?? sheet.name, sheet.name),
    rows: key?.filled ?? 0,
    notes: [],
    columns: profiles,
    keys: tell,
    unique: tell,
    staged,
    derived: { ...split, exceptions },
  };
}

/** Rows that say otherwise than most, by column; null where a column has more of them than `most` of the rows. */
async function exceptionsOf(
  client: Client,
  sheet: IntakeSheet,
  name: string,
  { determinant, dependents }: SplitPart,
  most: number,
): Promise<SplitOff['exceptions'] | null> {
  const exceptions: SplitOff['exceptions'][number][] = [];
  for (const [at, column] of dependents.entries()) {
    if (column === null) continue;
    const kept = raw(`d.c${at + 1}`);
    const { rows } = await client.query<SplitException & { all: number }>(
      sql`
        select d.c0 as key, ${kept} as kept, s.c${raw(String(column))} as other,
          count(*) as rows, sum(count(*)) over ()::int as all
        from ${raw(stagedName(sheet.staged))} s
        join ${raw(name)} d on d.c0 = ${raw(meantSql(sheet, determinant, 's', true))}
        where ${raw(meantSql(sheet, column, 's', true))} <> ${kept}
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

/** Profiles the derived rows; what a column is has been seen on all the rows of the flat sheet. */
async function profiled(client: Client, name: string, as: readonly ColumnProfile[]): Promise<ColumnProfile[]> {
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
      flat.type === 'option' && (at === 0 || (own.distinct ?? Infinity) * 2 > own.filled) ? 'text' : flat.type;
    const misfits = type === 'text' || type === 'option' || type === 'options' ? 0 : own.filled - own.fits[type];
    return { ...own, type, reading, digits, evidence, ambiguous, misfits, ...(misspellings ? { misspellings } : {}) };
  });
}
