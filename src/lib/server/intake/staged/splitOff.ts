import {
  discovering,
  toldByPair,
  type Dependency,
  type Discovered,
  type PairTold,
} from '$core/intake/discovery/search';
import { withPairs } from '$core/intake/discovery/pairSplits';
import { isMeasured, splitsOf } from '$core/intake/discovery/splits';
import { partsOf, type ColumnProfile, type FoundLink, type IntakeSheet } from '$core/intake/intake';
import type { Client } from '../../database/pool';
import { derive } from './derive';
import type { StagedSheet } from './stage';

/** In milliseconds: how long the search holds the process before others get their turn. */
const slice = 15;
/** Share of rows that may disagree with the thing they belong to. */
const mostExceptions = 0.03;
/** Wider sheets are searched in the columns that are most likely to tell something: words and codes, then the first ones. */
const mostSearched = 60;

type Encoded = ReturnType<StagedSheet['sample']['encoded']>;

/** Searches a sheet's sample, letting others work in between. */
async function searched(sheet: IntakeSheet, { columns: all, places: stand, rows }: Encoded): Promise<Discovered> {
  const counts = (at: number) => Number(isMeasured(sheet.columns[stand[at] ?? -1]));
  const likely = all.map((_, at) => at).sort((a, b) => counts(a) - counts(b) || a - b);
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
  const sample = staged.sample.encoded();
  const { keys, dependencies } = await searched(sheet, sample);
  const wide = keys.filter((key) => key.length > 1).slice(0, 5);
  const own: IntakeSheet = wide.length > 0 ? { ...sheet, wideKeys: wide } : sheet;
  const rows = Math.max(sheet.rows, 1);
  const single = splitsOf(sheet.columns, dependencies, rows, linked);
  const splits = withPairs(sheet.columns, dependencies, rows, linked, single, (a, b) => pairIn(sheet, sample, a, b));
  const made: IntakeSheet[] = [];
  for (const { determinant, beside, dependents } of splits) {
    const part = { sheet: index, determinant, dependents: dependents.map(({ column }) => column) };
    const split = beside === undefined ? part : { ...part, pair: true as const };
    const one = await derive(client, sheets, split, `${sheet.staged}_d${determinant}`, mostExceptions);
    if (one) made.push(one);
  }
  return { own, made };
}

/** What two columns of a sheet's sample tell together. */
function pairIn(sheet: IntakeSheet, { columns, places, rows }: Encoded, a: number, b: number): PairTold {
  const { distinct, dependents } = toldByPair(columns, rows, [places.indexOf(a), places.indexOf(b)]);
  return {
    // The whole sheet may have more than its sample.
    distinct: rows === 0 ? Infinity : (distinct * Math.max(rows, sheet.rows)) / rows,
    dependents: dependents.map((one) => ({ ...one, column: places[one.column] ?? -1 })),
  };
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
    const [beside] = derived.dependents;
    const also = derived.pair && beside !== undefined ? { also: { from: beside, to: 1 } } : {};
    const own = partsOf(derived).flatMap(({ sheet, determinant }) => {
      const flat = sheets[sheet];
      return flat ? [{ ...linkToSplit(flat, sheet, determinant, place), ...also }] : [];
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
