import { groupedBy } from '../../base/grouped';
import { namedAs, wordsOfName } from '../columns/columnWords';
import type { ColumnProfile } from '../intake';
import { speaksOfKey } from '../naming';
import type { Dependency } from './search';
import { isAddressPart, isMeasured, longestName, type Split } from './splits';

const firstName =
  /\b(?:(?:first|given|fore) ?name|vorname|prenom|nombre|nome|voornaam|fornavn|fornamn|imie|etunimi|jmeno)\b/;
const lastName =
  /\b(?:(?:last|family|sur) ?name|(?:nach|familien)name|nom|apellidos?|cognome|achternaam|efternavn|efternamn|nazwisko|sukunimi|prijmeni)\b/;
const times = /\b(?:year|season|jahr|saison|annee|ano|anno|temporada|stagione)$/;

/** People have to come so often on average; what two other columns tell, more often: it may be an accident. */
const leastRepeats = { people: 1.5, others: 4 } as const;
const leastThings = 3;

const wordsOf = ({ name }: ColumnProfile): string => wordsOfName(name).join(' ');
const isFirst = (column: ColumnProfile): boolean => firstName.test(wordsOf(column));
const isLast = (column: ColumnProfile): boolean => lastName.test(wordsOf(column)) && !isFirst(column);

/**
 * Splits of a flat sheet with those that two columns tell only together: people by their first and last names, also
 * where a telephone number would tell them as well; a team by its name and the season. `pairs`: how many different
 * pairs two columns have.
 */
export function withPairs(
  columns: readonly ColumnProfile[],
  dependencies: readonly Dependency[],
  rows: number,
  linked: ReadonlySet<number>,
  splits: readonly Split[],
  pairs: (a: number, b: number) => number,
): Split[] {
  const told = [
    ...groupedBy(
      dependencies.filter(({ determinants, exceptions }) => determinants.length === 2 && exceptions === 0),
      ({ determinants }) => determinants.join(),
    ).values(),
  ].flatMap((of): Told[] => {
    const pair = inOrder(columns, of[0]?.determinants ?? []);
    return pair ? [{ ...pair, dependents: of.map(({ dependent }) => dependent) }] : [];
  });
  const named = splits.map((split) => byNames(columns, split, told));
  const taken = new Set([
    ...linked,
    ...named.flatMap(({ determinant, dependents }) => [determinant, ...dependents.map(({ column }) => column)]),
  ]);
  const found: Split[] = [];
  const byWeight = told.toSorted((a, b) => b.dependents.length - a.dependents.length);
  for (const { determinant, beside, dependents } of byWeight) {
    const open = dependents.filter((column) => !taken.has(column) && varies(columns[column]));
    if (taken.has(determinant) || taken.has(beside) || open.length === 0) continue;
    const distinct = pairs(determinant, beside);
    if (!isWorth(columns, { determinant, beside, dependents: open }, rows / Math.max(1, distinct), distinct)) continue;
    const all = [beside, ...open].map((column) => ({ column, exceptions: 0 }));
    found.push({ determinant, beside, dependents: all, distinct, saved: (rows - distinct) * open.length });
    for (const column of [determinant, beside, ...open]) taken.add(column);
  }
  return [...named, ...found];
}

interface Told {
  readonly determinant: number;
  readonly beside: number;
  readonly dependents: readonly number[];
}

/** Two columns of names, codes or kinds, filled on every row; the one that tells more comes first. */
function inOrder(columns: readonly ColumnProfile[], [a, b]: readonly number[]): Omit<Told, 'dependents'> | null {
  const [one, other] = [columns[a ?? -1], columns[b ?? -1]];
  if (a === undefined || b === undefined || !one || !other || ![one, other].every(mayTell)) return null;
  const isSwapped = isFirst(one) && isLast(other) ? true : isLast(one) ? false : distinct(other) > distinct(one);
  return isSwapped ? { determinant: b, beside: a } : { determinant: a, beside: b };
}

const distinct = (profile: ColumnProfile): number => profile.distinct ?? Infinity;

function mayTell(profile: ColumnProfile): boolean {
  const { type, blanks, blankWords, longest } = profile;
  if (blanks > 0 || blankWords.length > 0 || longest > longestName || distinct(profile) < 2) return false;
  if (type === 'number') return speaksOfKey(profile.name) || namedAs(profile.name) === 'class' || isTime(profile);
  return (type === 'text' || type === 'option') && !isAddressPart(profile);
}

const isTime = (profile: ColumnProfile): boolean => times.test(wordsOf(profile));

/** A value that is the same on nearly every row says nothing. */
const varies = (profile: ColumnProfile | undefined): boolean =>
  profile !== undefined && profile.filled > 0 && (profile.values[0]?.count ?? 0) < profile.filled * 0.95;

const arePeople = (columns: readonly ColumnProfile[], { determinant, beside }: Omit<Told, 'dependents'>): boolean => {
  const [last, first] = [columns[determinant], columns[beside]];
  return last !== undefined && first !== undefined && isLast(last) && isFirst(first);
};

/** The same thing told by the names of people, where these tell it as well as how they are reached. */
function byNames(columns: readonly ColumnProfile[], split: Split, told: readonly Told[]): Split {
  const { determinant: reached, dependents } = split;
  const head = columns[reached];
  if (!head || !isAddressPart(head)) return split;
  const isIn = (column: number) => dependents.some((one) => one.column === column);
  const pair = told.find(
    (one) => arePeople(columns, one) && isIn(one.determinant) && isIn(one.beside) && one.dependents.includes(reached),
  );
  if (!pair) return split;
  const { determinant, beside } = pair;
  const others = dependents.filter(({ column }) => column !== determinant && column !== beside);
  const all = [{ column: beside, exceptions: 0 }, { column: reached, exceptions: 0 }, ...others];
  return { ...split, determinant, beside, dependents: all };
}

function isWorth(columns: readonly ColumnProfile[], pair: Told, repeats: number, things: number): boolean {
  if (arePeople(columns, pair)) return repeats >= leastRepeats.people;
  const words = pair.dependents.filter((column) => !isMeasured(columns[column]));
  return repeats >= leastRepeats.others && things >= leastThings && words.length >= 2;
}
