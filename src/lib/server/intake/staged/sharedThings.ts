import { misspellingsIn } from '$core/intake/columns/spellings';
import { laidBeside, namedTogether, sharedName } from '$core/intake/discovery/sharedThings';
import {
  isOfSplit,
  partsOf,
  type FoundLink,
  type IntakeSheet,
  type SplitOff,
  type SplitPart,
} from '$core/intake/intake';
import type { Client } from '../../database/pool';
import { raw, sql } from '../../base/sql';
import { confirmLinks } from '../discovery/links';
import { meantSql } from './cleaning';
import { derive } from './derive';
import { stagedName } from './stagedName';

/** Of the fewer of two columns' values so many are among the other's where both name the same things. */
const leastMet = 0.5;
const leastThings = 3;

type Split = Pick<SplitOff, 'sheet' | 'determinant' | 'dependents' | 'also'>;

/**
 * Sheets that were split off, each thing in one of them only: what two columns of a sheet name in different parts
 * (senders and receivers), what several sheets repeat, and what several sheets name but none tells of becomes one sheet.
 * With the links of columns that name them otherwise than by what tells them, or several in a cell.
 */
export async function sharedThings(
  client: Client,
  sheets: readonly IntakeSheet[],
  made: readonly IntakeSheet[],
  links: readonly FoundLink[],
): Promise<{
  readonly sheets: IntakeSheet[];
  readonly made: readonly IntakeSheet[];
  readonly links: readonly FoundLink[];
}> {
  let flat = [...sheets];
  let now = await mergedSplits(client, sheets, made);
  let named: readonly FoundLink[] = [];
  const isFree = (sheet: number, column: number) =>
    ![...links, ...named].some(({ from }) => from.sheet === sheet && from.column === column) &&
    !sheets[sheet]?.standing?.some((one) => one.column === column) &&
    !now.some(({ derived }) => isOfSplit(derived, sheet, column));
  const found = await confirmLinks(
    client,
    [...sheets, ...now],
    ({ from, to }) =>
      to.sheet >= sheets.length &&
      from.sheet < sheets.length &&
      !sheets[from.sheet]?.declared?.columns &&
      isFree(from.sheet, from.column) &&
      // What tells its own rows is what others name.
      !sheets[from.sheet]?.unique.includes(from.column),
  );
  named = found.filter((link) => !isByKey(link));
  for (const { from, to, separator, alike } of found) {
    const { derived, columns } = now[to.sheet - sheets.length] as IntakeSheet;
    if (!derived || !isByKey({ to, separator, alike })) continue;
    const part = { sheet: from.sheet, determinant: from.column, dependents: columns.slice(1).map(() => null) };
    now = await withPart(client, sheets, now, to.sheet - sheets.length, part);
  }
  for (const parts of namedTogether(sheets, isFree)) {
    const [main, ...others] = parts as [SplitPart, ...SplitPart[]];
    const also: SplitPart[] = [];
    for (const part of others) if (await isMet(client, sheets, main, part)) also.push(part);
    if (also.length === 0) continue;
    flat = await withSpellings(client, flat, [main, ...also]);
    const staged = `${sheets[main.sheet]?.staged}_n${main.determinant}`;
    const one = await derive(client, flat, { ...main, dependents: [], also }, staged, 1);
    if (one) now = [...now, renamed(sheets, one)];
  }
  return { sheets: flat, made: now, links: named };
}

/** Whether each cell says what tells a thing, in the very words: then what nobody else names is a thing as well. */
const isByKey = ({ to, separator, alike }: Pick<FoundLink, 'to' | 'separator' | 'alike'>): boolean =>
  to.column === 0 && separator === undefined && !alike;

/** More different names than these are not compared with each other. */
const mostCompared = 400;

/** Sheets whose columns of names know which of them are probably misspelt: by how often each is met in all of them. */
async function withSpellings(
  client: Client,
  sheets: readonly IntakeSheet[],
  parts: readonly SplitPart[],
): Promise<IntakeSheet[]> {
  const said = parts.map(({ sheet, determinant }) => {
    const from = sheets[sheet] as IntakeSheet;
    return `select ${meantSql(from, determinant, 's')} as text from ${stagedName(from.staged)} s`;
  });
  const { rows } = await client.query<{ text: string; count: number }>(
    sql`
      select text, count(*)::int as count from (${raw(said.join(' union all '))}) s
      where text is not null group by 1 order by 2 desc, 1 limit ${mostCompared + 1}
    `,
  );
  if (rows.length > mostCompared) return [...sheets];
  const misspellings = misspellingsIn(rows);
  return sheets.map((sheet, index) => ({
    ...sheet,
    columns: sheet.columns.map((profile, column) =>
      parts.some((part) => part.sheet === index && part.determinant === column)
        ? { ...profile, misspellings }
        : profile,
    ),
  }));
}

/** Splits of which two tell the same things are one. */
async function mergedSplits(
  client: Client,
  sheets: readonly IntakeSheet[],
  made: readonly IntakeSheet[],
): Promise<readonly IntakeSheet[]> {
  // The one that tells most comes first, and takes the others.
  const order = made
    .map((one, at) => ({ one, at }))
    .sort((a, b) => b.one.columns.length - a.one.columns.length || a.at - b.at)
    .map(({ one }) => one);
  let kept: readonly IntakeSheet[] = [];
  for (const one of order) {
    const split = one.derived as SplitOff;
    let place = -1;
    let beside: readonly (number | null)[] = [];
    for (const [at, other] of kept.entries()) {
      if (split.pair || other.derived?.pair) continue;
      beside = laidBeside(sheets, split, other.derived as SplitOff);
      if (!(await tellTheSame(client, other, one, split, beside))) continue;
      place = at;
      break;
    }
    if (place < 0) kept = [...kept, one];
    else {
      kept = await withPart(client, sheets, kept, place, { ...split, dependents: beside });
      await client.query(sql`drop table ${raw(stagedName(one.staged))}`);
    }
  }
  return [...kept].sort((a, b) => placeAmong(made, a) - placeAmong(made, b));
}

const placeAmong = (made: readonly IntakeSheet[], { derived }: IntakeSheet): number =>
  made.findIndex((one) => one.derived?.sheet === derived?.sheet && one.derived?.determinant === derived?.determinant);

/** Whether two splits have many things in common, and say the same of them. */
async function tellTheSame(
  client: Client,
  a: IntakeSheet,
  b: IntakeSheet,
  split: SplitPart,
  beside: readonly (number | null)[],
): Promise<boolean> {
  const pairs = beside.flatMap((column, at) => {
    const own = column === null ? -1 : split.dependents.indexOf(column);
    return own < 0 ? [] : [`a.c${at + 1} is not distinct from b.c${own + 1}`];
  });
  if (pairs.length === 0) return false;
  const { rows } = await client.query<{ met: number; same: number }>(
    sql`
      select count(*)::int as met, count(*) filter (where ${raw(pairs.join(' and '))})::int as same
      from ${raw(stagedName(a.staged))} a
      join ${raw(stagedName(b.staged))} b on b.c0 = a.c0
    `,
  );
  const { met = 0, same = 0 } = rows[0] ?? {};
  return met >= Math.max(leastThings, Math.min(a.rows, b.rows) * leastMet) && same >= met * 0.8;
}

/** Whether two columns have many values in common. */
async function isMet(client: Client, sheets: readonly IntakeSheet[], a: SplitPart, b: SplitPart): Promise<boolean> {
  const values = ({ sheet, determinant }: SplitPart) => {
    const from = sheets[sheet] as IntakeSheet;
    const text = meantSql(from, determinant, 's');
    return `select distinct ${text} as v from ${stagedName(from.staged)} s where ${text} is not null`;
  };
  const { rows } = await client.query<{ met: number; least: number }>(
    sql`
      with a as (${raw(values(a))}), b as (${raw(values(b))})
      select (select count(*) from a join b using (v))::int as met,
        least((select count(*) from a), (select count(*) from b))::int as least
    `,
  );
  const { met = 0, least = 0 } = rows[0] ?? {};
  return met >= Math.max(leastThings, least * leastMet);
}

/** The splits with a further part of the one at a place, made anew of all of its parts. */
async function withPart(
  client: Client,
  sheets: readonly IntakeSheet[],
  made: readonly IntakeSheet[],
  place: number,
  part: SplitPart,
): Promise<readonly IntakeSheet[]> {
  const one = made[place] as IntakeSheet;
  const { sheet, determinant, dependents, also = [] } = one.derived as SplitOff;
  const { sheet: at, determinant: by, dependents: beside } = part;
  const split: Split = {
    sheet,
    determinant,
    dependents,
    also: [...also, { sheet: at, determinant: by, dependents: beside }],
  };
  await client.query(sql`drop table ${raw(stagedName(one.staged))}`);
  const now = await derive(client, sheets, split, one.staged, 1);
  return made.map((each, index) => (index === place && now ? renamed(sheets, now) : each));
}

function renamed(sheets: readonly IntakeSheet[], one: IntakeSheet): IntakeSheet {
  const columns = partsOf(one.derived as SplitOff).map(
    ({ sheet, determinant }) => sheets[sheet]?.columns[determinant]?.name ?? '',
  );
  return { ...one, name: sharedName(columns) };
}
