import { wordsOfName } from './columns/columnWords';
import type { Reason } from './columns/meaning';
import { bareName, speaksOf, type LinkCandidate } from './discover';
import type { ColumnProfile, IntakeSheet } from './intake';

/** How many values of a column are found among those of a key: rows and different values. */
export interface FoundAmong {
  readonly matching: number;
  readonly missing: number;
  readonly distinct: number;
  readonly distinctMissing: number;
  /** Within one sheet: rows whose value is their own key. */
  readonly ownRow?: number;
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

/** Words that say which part the record that is meant plays. */
const roles = new Set(
  `parent mother father sire dam manager boss leader head superior supervisor previous next predecessor successor replaced
  replaces origin source from to destination over above master main belongs owner`.split(/\s+/),
);

/** Natural logarithm of the greatest number that a column is likely to count to. */
const countsTo = Math.log(1e9);

/**
 * What speaks for and against a link, given how many of its values are found. Containment alone is no evidence: it is
 * weighed by how likely it is to come about by accident (the share of the key's domain that the key takes up, as one
 * of Rostin et al. 2009's features, taken as a probability here), by how much of the key is met, by names, kinds and
 * what is missing. Weights are about natural logarithms of likelihood ratios.
 */
export function linkReasons(
  sheets: readonly Weighed[],
  { from, to }: LinkCandidate,
  found: FoundAmong,
): readonly Reason[] {
  const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
  const [column, key] = [source?.columns[from.column], target?.columns[to.column]];
  if (!source || !target || !column || !key) return [];
  const reasons: Reason[] = [];
  const say = (weight: number, says: string) => reasons.push({ weight, says });
  const share = (part: number, all: number) => part / Math.max(1, all);
  const keySize = key.distinct ?? target.rows;
  const chance = byAccident(target, to.column, found.distinct, keySize);
  say(Math.min(5, -chance.logProbability), chance.says);
  const playsPart = wordsOfName(column.name).some((word) => roles.has(word));
  // Within its own sheet any column may be called after it.
  const speaks = speaksOf(column.name, target.name, key.name) && (from.sheet !== to.sheet || playsPart);
  if (speaks)
    say(isCalledAfter(column.name, target.name, key.name) ? 4.5 : 3.5, `“${column.name}” speaks of ${target.name}`);
  else if (bareName(column.name) === bareName(key.name)) say(0.5, 'both are called alike');
  const met = share(found.distinct, keySize);
  const metWords = `${found.distinct} of ${keySize} keys are met`;
  if (met >= 0.5) say(met >= 0.9 ? 1.5 : 1, metWords);
  else if (met >= 0.2) say(0.5, metWords);
  else if (met < 0.1 && found.distinct <= 12) say(-1.5, metWords);
  const rowsMissing = share(found.missing, found.matching + found.missing);
  const valuesMissing = share(found.distinctMissing, found.distinct + found.distinctMissing);
  if (rowsMissing + valuesMissing > 0)
    // Of a column that is called after it, what is missing may as well be mistakes.
    say(
      (speaks ? 0.5 : 1) * (-6 * rowsMissing - 4 * valuesMissing),
      `${found.distinctMissing} values on ${found.missing} rows are not found`,
    );
  if (found.distinct <= 2) say(found.distinct === 1 ? -2.5 : -0.5, `${found.distinct} different values`);
  if (target.keys[0] !== to.column) say(-0.5, `“${key.name}” is not the first key`);
  if (source.keys.includes(from.column) && !speaks) say(-1.5, `“${column.name}” tells its own rows apart`);
  const own = found.ownRow ?? 0;
  if (own > found.matching / 2) say(-8, `${own} rows have the same value in both columns`);
  if (playsPart && !speaks) say(2.5, `“${column.name}” says which part a record plays`);
  if (from.sheet === to.sheet) say(playsPart ? -1 : -1.5, 'both are in one sheet');
  if (column.type === 'number' && key.type !== 'number' && !speaks && !playsPart)
    say(-3, 'numbers that are measured, against codes');
  return reasons;
}

/** Called as one of the target's things, or as its key: `hive`, `hive_no` of Hives with a key `no`. */
function isCalledAfter(column: string, sheet: string, key: string): boolean {
  const [own, thing] = [bareName(column), bareName(sheet)];
  return own === thing || own === `${thing}${bareName(key)}` || (own === bareName(key) && own.includes(thing));
}

/** What is to be outweighed: most pairs of columns are no link. */
const prior = -2.5;

export const linkWeight = (sheets: readonly Weighed[], candidate: LinkCandidate, found: FoundAmong): number =>
  linkReasons(sheets, candidate, found).reduce((sum, { weight }) => sum + weight, prior);

/** How likely so many different values are to lie among the keys if they have nothing to do with them. */
function byAccident(
  target: Weighed,
  column: number,
  distinct: number,
  keySize: number,
): { readonly logProbability: number; readonly says: string } {
  const key = target.columns[column];
  const samples = key?.values.length ? key.values.map(({ text }) => text) : (key?.samples ?? []);
  const { range } = key ?? {};
  if (range && samples.every((text) => /^\d+$/.test(text))) {
    const [least, most] = [Number(range.least), Number(range.most)];
    // Numbers that count something are as often of each magnitude, but for small ones, which any column may have.
    const small = least > 1 || most > 100 ? 0 : most > 12 ? 0.35 : 0.6;
    const inRange = Math.max(small, Math.log(Math.max(1.05, (most + 1) / Math.max(1, least))) / countsTo);
    const dense = Math.min(1, keySize / Math.max(1, most - least + 1));
    const logProbability = Math.log(inRange) + Math.max(-4, distinct * Math.log(dense));
    return { logProbability, says: `keys are ${Math.round(dense * 100)} of 100 numbers from ${least} to ${most}` };
  }
  const dense = densityOf(samples, keySize, key?.longest ?? 0);
  // Few columns are written in the very way of another one, such as K-000.
  if (key?.pattern !== undefined)
    return {
      logProbability: Math.log(0.05) + Math.max(-4, distinct * Math.log(dense)),
      says: `both are written as ${key.pattern}`,
    };
  const says = `keys are ${dense < 0.01 ? 'less than 1' : Math.round(dense * 100)} of 100 texts written like them`;
  return { logProbability: Math.max(-4, distinct * Math.log(dense)), says };
}

/** Names of things are this likely to be met by accident. */
const leastDensity = 0.02;

/** Which share of all texts that could be written as the keys are is a key: short codes are many of few. */
function densityOf(samples: readonly string[], keySize: number, longest: number): number {
  const [first = ''] = samples;
  // Of very many keys only some are known, and other ones may be longer.
  if (first.length > 6 || longest > 6 || samples.some(({ length }) => length !== first.length)) return leastDensity;
  let domain = 1;
  for (let at = 0; at < first.length; at++) domain *= new Set(samples.map((text) => text[at])).size;
  return Math.min(1, Math.max(leastDensity, keySize / Math.max(1, domain)));
}
