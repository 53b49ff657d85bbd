import { discovering, type Dependency, type Discovered } from '$core/intake/discovery/search';
import { splitsOf, type Split } from '$core/intake/discovery/splits';
import type { ColumnProfile, ColumnType, FoundLink, IntakeSheet, SplitException, SplitOff } from '$core/intake/intake';
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

export interface SplitSheets {
  readonly sheets: readonly IntakeSheet[];
  readonly links: readonly FoundLink[];
}

/**
 * Makes sheets of what a flat sheet repeats: found on its beginning, held against all its rows, and put in a staging
 * table of its own, so that it is proposed, corrected and loaded as any other sheet. `linked`: columns that point at
 * another sheet.
 */
export async function splitOff(
  client: Client,
  staged: StagedSheet,
  index: number,
  first: number,
  linked: ReadonlySet<number>,
): Promise<SplitSheets> {
  const { sheet } = staged;
  const { keys, dependencies } = await searched(staged);
  const wide = keys.filter((key) => key.length > 1).slice(0, 5);
  const own: IntakeSheet = wide.length > 0 ? { ...sheet, wideKeys: wide } : sheet;
  const sheets: IntakeSheet[] = [];
  const links: FoundLink[] = [];
  for (const split of splitsOf(sheet.columns, dependencies, Math.max(sheet.rows, 1), linked)) {
    const place = first + sheets.length;
    const made = await derive(client, sheet, index, split, `${sheet.staged}_d${split.determinant}`);
    if (!made) continue;
    sheets.push(made);
    links.push(linkToSplit(sheet, index, split.determinant, place));
  }
  // A thing that tells another one points at it in turn.
  sheets.forEach((from, a) =>
    from.derived?.dependents.forEach((column, at) => {
      const b = sheets.findIndex(({ derived }) => derived?.determinant === column);
      if (b < 0 || b === a) return;
      const filled = (from.columns[at + 1]?.filled ?? 0) - blankRows(from.columns[at + 1]);
      links.push({
        from: { sheet: first + a, column: at + 1 },
        to: { sheet: first + b, column: 0 },
        matching: filled,
        missing: 0,
        misfits: [],
      });
    }),
  );
  return { sheets: [own, ...sheets], links };
}

/** Every filled row of the determinant finds its thing in the sheet that was split off. */
export function linkToSplit(sheet: IntakeSheet, index: number, determinant: number, place: number): FoundLink {
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
 * A sheet of what some columns of another one say of each value of the determinant, in a staging table of its own: what
 * most rows say is kept, those that say otherwise are told. Null where more than `most` of the rows do.
 */
export async function derive(
  client: Client,
  sheet: IntakeSheet,
  index: number,
  { determinant, dependents }: Pick<Split, 'determinant' | 'dependents'>,
  staged: string,
  most = mostExceptions,
): Promise<IntakeSheet | null> {
  const from = stagedName(sheet.staged);
  const name = stagedName(staged);
  const columns = dependents.map(({ column }) => column);
  await client.query(
    sql`
      create unlogged table ${raw(name)} as
      select row_number() over (order by first) as _row, null::text as _unreadable, null::text as _refused, null::bigint as _target,
        c0${raw(columns.map((_, at) => `, c${at + 1}`).join(''))}
      from (
        select ${raw(meantSql(sheet, determinant, 's', true))} as c0,
          min(_row) as first${raw(columns.map((column, at) => `, mode() within group (order by ${meantSql(sheet, column, 's', true)}) as c${at + 1}`).join(''))}
        from ${raw(from)} s
        where s._unreadable is null
        group by 1
      ) g
      where c0 is not null
    `,
  );
  const exceptions = await exceptionsOf(client, sheet, name, { determinant, columns }, most);
  if (exceptions === null) {
    await client.query(sql`drop table ${raw(name)}`);
    return null;
  }
  const places = [determinant, ...columns];
  const profiles = await profiled(
    client,
    name,
    places.map((column) => sheet.columns[column] as ColumnProfile),
  );
  const [key] = profiles;
  const { declared: _, remembered: __, standing: ___, wideKeys: ____, ...own } = sheet;
  return {
    ...own,
    name: thingsNamed(key?.name ?? sheet.name, sheet.name),
    rows: key?.filled ?? 0,
    notes: [],
    columns: profiles,
    keys: [0],
    unique: [0],
    staged,
    derived: { sheet: index, determinant, dependents: columns, exceptions },
  };
}

/** Rows that say otherwise than most, by column; null where a column has more of them than `most` of the rows. */
async function exceptionsOf(
  client: Client,
  sheet: IntakeSheet,
  name: string,
  { determinant, columns }: { readonly determinant: number; readonly columns: readonly number[] },
  most: number,
): Promise<SplitOff['exceptions'] | null> {
  const exceptions: SplitOff['exceptions'][number][] = [];
  for (const [at, column] of columns.entries()) {
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
