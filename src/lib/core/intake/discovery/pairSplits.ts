import { groupedBy } from '../../base/grouped';
import { namedAs, wordsOfName } from '../columns/columnWords';
import type { ColumnProfile } from '../intake';
import { speaksOfKey } from '../naming';
import type { Dependency, PairTold } from './search';
import { isAddressPart, isMeasured, isTold, longestName, varies, type Split } from './splits';

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
 * where a telephone number would tell them as well; a team by its name and the season. `ofPair`: what two columns tell,
 * counted on the rows.
 */
export function withPairs(
  columns: readonly ColumnProfile[],
  dependencies: readonly Dependency[],
  rows: number,
  linked: ReadonlySet<number>,
  splits: readonly Split[],
  ofPair: (a: number, b: number) => PairTold,
): Split[] {
  const exact = [
    ...groupedBy(
      dependencies.filter(({ determinants, exceptions }) => determinants.length === 2 && exceptions === 0),
      ({ determinants }) => determinants.join(),
    ).values(),
  ].flatMap((of): Told[] => {
    const pair = inOrder(columns, of[0]?.determinants ?? []);
    return pair ? [{ ...pair, dependents: of.map(({ dependent }) => ({ column: dependent, exceptions: 0 })) }] : [];
  });
  // Of people a few rows may say otherwise: they move.
  const people = peopleAmong(columns).map((pair): Told => ({ ...pair, ...ofPair(pair.determinant, pair.beside) }));
  const told = [...people, ...exact.filter((one) => !arePeople(columns, one))];
  const named = splits.map((split) => byNames(columns, split, people));
  const taken = new Set([
    ...linked,
    ...named.flatMap(({ determinant, dependents }) => [determinant, ...dependents.map(({ column }) => column)]),
  ]);
  const found: Split[] = [];
  for (const { determinant, beside, dependents } of told.toSorted(
    (a, b) => b.dependents.length - a.dependents.length,
  )) {
    const open = dependents.filter(
      ({ column, exceptions }) =>
        !taken.has(column) && varies(columns[column]) && isTold(columns[column], exceptions, rows),
    );
    if (taken.has(determinant) || taken.has(beside)) continue;
    if (!saysEnough(columns, { determinant, beside, dependents: open })) continue;
    const { distinct } = ofPair(determinant, beside);
    const repeats = rows / Math.max(1, distinct);
    const isEnough = arePeople(columns, { determinant, beside })
      ? repeats >= leastRepeats.people
      : repeats >= leastRepeats.others && distinct >= leastThings;
    if (!isEnough) continue;
    const all = [{ column: beside, exceptions: 0 }, ...open];
    found.push({ determinant, beside, dependents: all, distinct, saved: (rows - distinct) * open.length });
    for (const { column } of [{ column: determinant }, ...all]) taken.add(column);
  }
  return [...named, ...found];
}

/** Pairs of columns that hold last and first names. */
function peopleAmong(columns: readonly ColumnProfile[]): Omit<Told, 'dependents'>[] {
  return columns.flatMap((last, determinant) =>
    isLast(last) && mayTell(last)
      ? columns.flatMap((first, beside) =>
          isFirst(first) && mayTell(first) && goTogether(last, first) ? [{ determinant, beside }] : [],
        )
      : [],
  );
}

/** Called after the same people: the first and the last name of the customer, not of the keeper. */
function goTogether(last: ColumnProfile, first: ColumnProfile): boolean {
  const rest = (name: string, without: RegExp) => name.replace(without, '').trim();
  return rest(wordsOf(last), lastName) === rest(wordsOf(first), firstName);
}

interface Told {
  readonly determinant: number;
  readonly beside: number;
  readonly dependents: PairTold['dependents'];
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

const arePeople = (columns: readonly ColumnProfile[], { determinant, beside }: Omit<Told, 'dependents'>): boolean => {
  const [last, first] = [columns[determinant], columns[beside]];
  return last !== undefined && first !== undefined && isLast(last) && isFirst(first);
};

/** The same thing known by the names of people, where these tell it as well as how they are reached. */
function byNames(columns: readonly ColumnProfile[], split: Split, told: readonly Told[]): Split {
  const { determinant: reached, dependents } = split;
  const head = columns[reached];
  if (!head || !isAddressPart(head)) return split;
  const isIn = (column: number) => dependents.some((one) => one.column === column);
  const pair = told.find(
    (one) =>
      arePeople(columns, one) &&
      isIn(one.determinant) &&
      isIn(one.beside) &&
      one.dependents.some(({ column }) => column === reached),
  );
  if (!pair) return split;
  const { determinant, beside } = pair;
  const others = dependents.filter(({ column }) => column !== determinant && column !== beside);
  const all = [{ column: beside, exceptions: 0 }, { column: reached, exceptions: 0 }, ...others];
  return { ...split, determinant, beside, dependents: all };
}

/** Of people anything is worth a table, of other things two columns that are not measured. */
const saysEnough = (columns: readonly ColumnProfile[], told: Told): boolean =>
  arePeople(columns, told)
    ? told.dependents.length > 0
    : told.dependents.filter(({ column }) => !isMeasured(columns[column])).length >= 2;
