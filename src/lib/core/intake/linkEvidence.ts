import { wordsOfName, namedAs } from './columns/columnWords';
import { calledAfter, isSpeaking } from './calledAfter';
import type { Reason } from './columns/meaning';
import { bareName, type LinkCandidate } from './discover';
import { linkWeights, type LinkFeature } from './fitted/linkWeights';
import type { ColumnProfile, IntakeSheet } from './intake';

/** How many values of a column are found among those of a key: rows and different values. */
export interface FoundAmong {
  readonly matching: number;
  readonly missing: number;
  readonly distinct: number;
  readonly distinctMissing: number;
  /** Of columns that are called alike in both sheets: how many say the same on nearly all rows that meet, of how many. */
  readonly alike?: { readonly same: number; readonly of: number };
  /** Cells hold several values each. */
  readonly areSeveral?: true;
  /** Within one sheet: rows whose value is their own key. */
  readonly ownRow?: number;
  /**
   * Where both are digits: those of the different values that lie where keys do, from the least to the most of them, and
   * how many of them would be met there by chance.
   */
  readonly numbers?: {
    readonly least: number;
    readonly most: number;
    readonly values: number;
    readonly expected: number;
  };
}

/** What is known of a sheet, or of a table that stands, when links to it are weighed. */
export interface Weighed extends Pick<IntakeSheet, 'name' | 'rows' | 'keys'> {
  readonly columns: readonly WeighedColumn[];
}

export type WeighedColumn = Pick<
  ColumnProfile,
  'name' | 'type' | 'distinct' | 'values' | 'samples' | 'range' | 'pattern'
> &
  Partial<Pick<ColumnProfile, 'longest'>>;

const n = (count: number) => count.toLocaleString('en');

/** One thing that was looked at: how much of it there is, and what it says in words. */
export interface Observed {
  readonly feature: LinkFeature;
  readonly value: number;
  readonly says: string;
}

/** Words that say which part the record that is meant plays, rather than what it is. */
const roles = new Set(
  `parent mother father sire dam manager boss leader head superior supervisor previous next predecessor successor replaced
  replaces origin source from to destination over above master main belongs owner`.split(/\s+/),
);

export const playsPart = (column: string): boolean => wordsOfName(column).some((word) => roles.has(word));

/** Natural logarithm of the greatest number that a column is likely to count to. */
const countsTo = Math.log(1e9);

/**
 * What is seen of a column that may hold the key of another sheet, given how many of its values are found there.
 * Containment alone is no evidence: it is weighed by how likely it is to come about by accident (the share of the key's
 * domain that the key takes up, as one of Rostin et al. 2009's features, taken as a probability here), by how much of
 * the key is met, by names, kinds and what is missing.
 */
export function linkObserved(
  sheets: readonly Weighed[],
  { from, to, called, better }: LinkCandidate,
  found: FoundAmong,
): readonly Observed[] {
  const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
  const [column, key] = [source?.columns[from.column], target?.columns[to.column]];
  if (!source || !target || !column || !key) return [];
  const observed: Observed[] = [];
  const see = (feature: LinkFeature, value: number, says: string) => observed.push({ feature, value, says });
  const share = (part: number, all: number) => part / Math.max(1, all);
  const keySize = key.distinct ?? target.rows;
  const own = `“${column.name}”`;
  const chance = byAccident(target, to.column, found, keySize);
  if (found.areSeveral) see('several', 1, `cells of ${own} hold several of them`);
  see('unlikely', Math.min(10, -chance.logProbability), chance.says);
  const isPart = playsPart(column.name);
  // Few columns are written in the very way of another one, such as K-000.
  if (key.pattern !== undefined && found.missing < found.matching)
    see('samePattern', 1, `both are written as ${key.pattern}`);
  // Within its own sheet any column may be called after it.
  const isCalled = isSpeaking(called) && (from.sheet !== to.sheet || isPart || called === 'exactly');
  if (isCalled && better !== null) see('calledBetter', 1, `${own} speaks more of ${better}`);
  else if (isCalled && called === 'exactly') see('calledExactly', 1, `${own} is called after ${target.name}`);
  else if (isCalled && called === 'alike') see('calledAlike', 1, `both are called ${own}`);
  else if (isCalled) see('calledEnd', 1, `${own} speaks of ${target.name}`);
  else if (called === 'part') see('calledPart', 1, `${own} has a word of ${target.name}`);
  // That values lie where keys have few gaps says nothing.
  const isNumbers = chance.isDense === true;
  if (!isCalled && isNumbers && called !== 'silent')
    see('numbersOther', 1, `${own} is called after something else, and numbers lie in any other numbers`);
  if (!isCalled && isNumbers && called === 'silent')
    see('numbersSilent', 1, `${own} does not say whose numbers they are`);
  if (!isCalled && better !== null) see('speaksElsewhere', 1, `${own} speaks of ${better}`);
  const met = share(found.distinct, keySize);
  const metWords = `${n(found.distinct)} of ${n(keySize)} keys are met`;
  // Running numbers end where others do by accident, though seldom after very many.
  if (isNumbers && !isCalled && met >= 0.2) {
    if (met === 1) see('numbersMet', Math.log10(Math.max(1, keySize)), metWords);
  } else if (met >= 0.9) see('metAll', 1, metWords);
  else if (met >= 0.5) see('metHalf', 1, metWords);
  else if (met >= 0.2) see('metSome', 1, metWords);
  else if (met < 0.1 && found.distinct <= 12) see('metFew', 1, metWords);
  // Of few rows, one that is missing says little.
  const rowsMissing = share(found.missing, found.matching + found.missing + 2);
  const valuesMissing = share(found.distinctMissing, found.distinct + found.distinctMissing + 2);
  if (rowsMissing + valuesMissing > 0)
    // Of a column that is called after it, what is missing may as well be mistakes.
    see(
      isCalled ? 'missingCalled' : 'missing',
      rowsMissing + valuesMissing,
      `${n(found.distinctMissing)} values on ${n(found.missing)} rows are not found`,
    );
  if (found.distinct === 1) see('oneValue', 1, 'one value');
  else if (found.distinct === 2) see('twoValues', 1, 'two different values');
  if (target.keys[0] !== to.column) see('furtherKey', 1, `“${key.name}” is not the first key`);
  if (source.keys.includes(from.column)) {
    // Few rows have values of their own by accident.
    const sure = Math.min(1, Math.log10(Math.max(1, source.rows)) / 2);
    see(isCalled ? 'ownKeyCalled' : isNumbers ? 'ownNumbers' : 'ownKey', sure, `${own} tells its own rows apart`);
  }
  const { same, of } = found.alike ?? { same: 0, of: 0 };
  if (same > 0) see('rowsAgree', 1, `${same} more columns say the same on the rows that meet`);
  else if (of > 0) see('rowsDiffer', 1, `no other column that is called alike says the same on the rows that meet`);
  const ownRow = found.ownRow ?? 0;
  if (ownRow > found.matching / 2) see('ownRow', 1, `${n(ownRow)} rows have the same value in both columns`);
  if (isPart && !isCalled) see('playsPart', 1, `${own} says which part a record plays`);
  if (from.sheet === to.sheet) see(isPart ? 'ownSheetPart' : 'ownSheet', 1, 'both are in one sheet');
  if (!isCalled && namedAs(column.name) === 'measure') see('measure', 1, `${own} is the name of something measured`);
  if (column.type === 'number' && key.type !== 'number' && !isCalled && !isPart)
    see('numberToCode', 1, 'numbers that are measured, against codes');
  return observed;
}

/** What speaks for and against a link, each with its weight. */
export const linkReasons = (
  sheets: readonly Weighed[],
  candidate: LinkCandidate,
  found: FoundAmong,
): readonly Reason[] =>
  linkObserved(sheets, candidate, found).map(({ feature, value, says }) => ({
    weight: value * linkWeights[feature],
    says,
  }));

/** The weight of a link: about the natural logarithm of how much likelier it is one than none; above 0 it is proposed. */
export const linkWeight = (sheets: readonly Weighed[], candidate: LinkCandidate, found: FoundAmong): number =>
  linkReasons(sheets, candidate, found).reduce<number>((sum, { weight }) => sum + weight, linkWeights.prior);

/**
 * The weight of a link that two columns make together, into a sheet that both columns of its key tell: how each is
 * called beside its own column of the key, and how unlikely it is that so many pairs are met by accident.
 */
export function pairWeight(
  source: Weighed,
  target: Weighed,
  columns: readonly [number, number],
  key: readonly [number, number],
  found: FoundAmong,
): number {
  const possible = key.reduce((all, column) => all * Math.max(1, target.columns[column]?.distinct ?? target.rows), 1);
  const dense = Math.min(1, Math.max(leastDensity, target.rows / possible));
  const share = (part: number, all: number) => part / Math.max(1, all);
  const missing =
    share(found.missing, found.matching + found.missing) +
    share(found.distinctMissing, found.distinct + found.distinctMissing);
  const called = columns.reduce((sum, column, at) => {
    const [own, other] = [source.columns[column]?.name ?? '', target.columns[key[at] ?? 0]?.name ?? ''];
    const isAlike = bareName(own) === bareName(other);
    const how = calledAfter(own, source.name, { things: target.name, key: other });
    return sum + (isAlike || isSpeaking(how) ? linkWeights.calledEnd / 2 : -3);
  }, 0);
  const unlikely = -accident(found.distinct, found.distinct + found.distinctMissing, dense) * linkWeights.unlikely;
  return linkWeights.prior + called + unlikely + missing * linkWeights.missingCalled;
}

/**
 * The natural logarithm of how likely so many of the different values are to be found, if each of them is by a chance
 * of `dense`: 0 where no more are found than that (the bound of Chernoff 1952). Beyond e⁻⁸ it says no more.
 */
function accident(distinct: number, all: number, dense: number): number {
  const met = Math.min(1, distinct / Math.max(1, all));
  if (met <= dense) return 0;
  const part = (share: number, of: number) => (share === 0 ? 0 : share * Math.log(share / of));
  return -Math.min(8, all * (part(met, dense) + part(1 - met, 1 - dense)));
}

/** How likely so many different values are to lie among the keys if they have nothing to do with them. */
function byAccident(
  target: Weighed,
  column: number,
  found: FoundAmong,
  keySize: number,
): { readonly logProbability: number; readonly says: string; readonly isDense?: boolean } {
  const key = target.columns[column];
  const samples = key?.values.length ? key.values.map(({ text }) => text) : (key?.samples ?? []);
  const { range } = key ?? {};
  const { numbers } = found;
  const all = found.distinct + found.distinctMissing;
  if (range && samples.every((text) => /^\d+$/.test(text))) {
    // Keys may be dense where the values lie, and go on with few among many numbers.
    const [least, most] = numbers ? [numbers.least, numbers.most] : [Number(range.least), Number(range.most)];
    // Numbers that count something are as often of each magnitude, but for small ones, which any column may have.
    const small = least > 1 || most > 100 ? 0 : most > 12 ? 0.35 : 0.6;
    const inRange = Math.max(small, Math.log(Math.max(1.05, (most + 1) / Math.max(1, least))) / countsTo);
    const dense = numbers ? numbers.expected / Math.max(1, numbers.values) : keySize / Math.max(1, most - least + 1);
    const logAccident = accident(found.distinct, numbers?.values ?? all, dense);
    return {
      logProbability: Math.log(inRange) + logAccident,
      isDense: logAccident > -3,
      says: `${Math.round(Math.min(1, dense) * 100)} of 100 numbers there are keys`,
    };
  }
  const dense = densityOf(samples, keySize, key?.longest ?? 0);
  const says = `keys are ${dense < 0.01 ? 'less than 1' : Math.round(dense * 100)} of 100 texts written like them`;
  return { logProbability: accident(found.distinct, all, dense), says };
}

/** Names of things are this likely to be met by accident. */
const leastDensity = 0.02;

/** Which share of all texts that could be written as the keys are is a key: short codes are many of few. */
function densityOf(samples: readonly string[], keySize: number, longest: number): number {
  const [first = ''] = samples;
  // Of very many keys only some are known, and other ones may be longer.
  if (first.length > 6 || longest > 6 || samples.some(({ length }) => length !== first.length)) return leastDensity;
  // The first ones of many begin alike where they are in their order.
  const areAll = samples.length * 2 >= keySize;
  const least = (texts: string) => (areAll ? 1 : /^\d+$/.test(texts) ? 10 : /^\p{L}+$/u.test(texts) ? 26 : 1);
  let domain = 1;
  for (let at = 0; at < first.length; at++) {
    const met = new Set(samples.map((text) => text[at]));
    domain *= Math.max(met.size, least([...met].join('')));
  }
  return Math.min(1, Math.max(leastDensity, keySize / Math.max(1, domain)));
}
