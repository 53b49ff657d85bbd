import type { ColumnProfile } from '../intake';
import { namedAs, wordsOfName } from '../columns/columnWords';
import { nameWords, speaksOfKey, thingNamed } from '../naming';
import type { Dependency } from './search';

/** Columns of a flat sheet that belong to one thing, identified by a column of its own. */
export interface Split {
  /** The column that tells the thing, and is repeated on each of its rows. */
  readonly determinant: number;
  /** A second column, without which it does not tell the thing; the first of the dependents. */
  readonly beside?: number;
  readonly dependents: readonly { readonly column: number; readonly exceptions: number }[];
  /** How many things there are. */
  readonly distinct: number;
  /** Cells that are written once instead of on every row. */
  readonly saved: number;
}

/** A thing with a key has to come this many times on average to be worth a table; any other one more often. */
const leastRepeats = { keyed: 1.5, named: 3 } as const;
/** Measures and remarks are no names of things. */
const determining: ReadonlySet<string> = new Set(['text', 'option', 'email', 'phone', 'number']);
const measured: ReadonlySet<string> = new Set(['number', 'money', 'percent', 'yesNo', 'duration']);
export const longestName = 80;
/** Parts of an address belong to whoever lives there, and are things of their own only with a code. */
const addressParts = new Set(
  `city town village place street address address1 address2 zip zipcode postal postcode plz ort strasse adresse ville rue
  ciudad calle direccion citta via comune region country phone fax telephone telefon email mail`.split(/\s+/),
);

const reached = new Set('phone fax telephone telefon telefono tel mobile email mail'.split(' '));
/** Of columns that tell the same things, the first is what a person names them by. */
const perPlace = 0.15;
const perUnsaid = 20;

/** A column, or several that determine each other, such as a code and its name, as what a thing is known by. */
interface Thing {
  readonly head: number;
  readonly members: readonly number[];
  readonly distinct: number;
}

/**
 * Which dependencies make tables, the most telling first: things known by a code, by a code with a name, or by a name
 * that others are called after. Of columns that determine each other the one that reads as a key stands for the thing.
 * Each column goes to the nearest thing that determines it, so that what belongs to the apiary does not go to the hive
 * standing in it. What is ranked is what Papenbrock and Naumann (2017) rank keys and left sides by: length, value and
 * position, with the share of repeated values; a dependency that holds but for a few rows counts if those are few
 * beside what varies at all (the g3 measure of Kruse and Naumann 2018, against that of a constant).
 */
export function splitsOf(
  columns: readonly ColumnProfile[],
  dependencies: readonly Dependency[],
  rows: number,
  linked: ReadonlySet<number> = new Set(),
): Split[] {
  const exceptionsOf = new Map<string, number>();
  for (const { determinants, dependent, exceptions } of dependencies)
    if (determinants.length === 1 && isTold(columns[dependent], exceptions, rows))
      exceptionsOf.set(`${determinants[0]} ${dependent}`, exceptions);
  const determines = (a: number, b: number): boolean => exceptionsOf.has(`${a} ${b}`);
  const distinctOf = (column: number) => columns[column]?.distinct ?? Infinity;
  const able = columns.flatMap((profile, column) => (!linked.has(column) && mayTell(profile, columns) ? [column] : []));
  const things = thingsAmong(columns, able, determines, distinctOf).filter(
    (thing, _, all) => !isPartOfAnother(columns, thing, all, determines),
  );
  const heads = new Set(things.flatMap(({ members }) => members));
  const owned = new Map<Thing, { column: number; exceptions: number }[]>(things.map((thing) => [thing, []]));
  columns.forEach((profile, column) => {
    if (profile.filled === 0 || linked.has(column) || (profile.distinct ?? 2) < 2) return;
    const own = things.find(({ members }) => members.includes(column));
    // A thing's further columns stand with it; its key stands with the nearest of the things that it is part of.
    const nearest =
      own && own.head !== column
        ? own
        : things
            .filter(
              (thing) =>
                thing !== own &&
                determines(thing.head, column) &&
                (!heads.has(column) || !determines(column, thing.head)),
            )
            .toSorted((a, b) => a.distinct - b.distinct || a.head - b.head)[0];
    if (!nearest || (heads.has(column) && own?.head !== column && nearest !== own)) return;
    owned.get(nearest)?.push({ column, exceptions: exceptionsOf.get(`${nearest.head} ${column}`) ?? 0 });
  });
  return things
    .map(({ head, distinct }, at): Split => {
      const dependents = owned.get(things[at] as Thing) ?? [];
      return { determinant: head, dependents, distinct, saved: (rows - distinct) * dependents.length };
    })
    .filter((split, at) => isWorth(split, things[at] as Thing, columns))
    .sort(
      (a, b) =>
        telling(columns[b.determinant]) +
          b.dependents.length -
          (telling(columns[a.determinant]) + a.dependents.length) || b.saved - a.saved,
    );
}

/**
 * Whether a dependency says more than that its values hardly vary: the exceptions are few beside the rows that do not
 * have the most frequent value, or none.
 */
export function isTold(dependent: ColumnProfile | undefined, exceptions: number, rows: number): boolean {
  if (!dependent) return false;
  const most = Math.max(dependent.values[0]?.count ?? 0, dependent.blanks);
  return exceptions <= (rows - most) * 0.3;
}

/** Whether a column may be what a thing is known by: words that come again. */
function mayTell(profile: ColumnProfile, columns: readonly ColumnProfile[]): boolean {
  const distinct = profile.distinct ?? Infinity;
  if (profile.filled === 0 || distinct < 2 || !determining.has(profile.type)) return false;
  const followers = columns.filter((one) => isCalledAfter(one, profile)).length;
  const least = isKeyLike(profile) || followers >= 2 ? leastRepeats.keyed : leastRepeats.named;
  if (distinct * least > profile.filled) return false;
  // A number determines only where it is called a key: measures do by accident.
  return profile.type === 'number' ? speaksOfKey(profile.name) : profile.longest <= longestName;
}

/** Columns that determine each other are one thing. */
function thingsAmong(
  columns: readonly ColumnProfile[],
  able: readonly number[],
  determines: (a: number, b: number) => boolean,
  distinctOf: (column: number) => number,
): Thing[] {
  const open = new Set(able);
  const things: Thing[] = [];
  for (const column of able) {
    if (!open.has(column)) continue;
    const members = able.filter(
      (other) => other === column || (open.has(other) && determines(column, other) && determines(other, column)),
    );
    for (const one of members) open.delete(one);
    // What says nothing on some rows, where others do, would leave these without their thing.
    const named = members.filter((one) => columns[one] && !isAddressPart(columns[one]));
    const least = Math.min(...named.map((one) => unsaid(columns[one])));
    const weight = (one: number) =>
      telling(columns[one]) - one * perPlace - (unsaid(columns[one]) > least ? perUnsaid : 0);
    const head = members.reduce((best, one) => (weight(one) > weight(best) ? one : best));
    things.push({ head, members, distinct: distinctOf(head) });
  }
  return things;
}

/** A part of an address, or anything without a code or a name beside it, is no thing of its own where another has it. */
function isPartOfAnother(
  columns: readonly ColumnProfile[],
  { head, members }: Thing,
  all: readonly Thing[],
  determines: (a: number, b: number) => boolean,
): boolean {
  const profile = columns[head];
  const owner = all.some(
    (other) => other.head !== head && determines(other.head, head) && !determines(head, other.head),
  );
  if (!profile || !owner) return false;
  const isAddress = addressParts.has(wordsOfName(profile.name).at(-1) ?? '');
  return (
    members.length === 1 && (isAddress || !isKeyLike(profile)) && !columns.some((one) => isCalledAfter(one, profile))
  );
}

/** Parts of an address tell where things are, not which: a telephone number is no key of a supplier. */
export const isAddressPart = ({ name }: Pick<ColumnProfile, 'name'>): boolean =>
  wordsOfName(name).some((word) => addressParts.has(word));

export const isKeyLike = (profile: ColumnProfile): boolean => {
  const { name, pattern, leadingZeros, reasons } = profile;
  if (wordsOfName(name).some((word) => reached.has(word))) return false;
  return (
    speaksOfKey(name) || namedAs(name) === 'key' || pattern !== undefined || leadingZeros || (reasons?.length ?? 0) > 0
  );
};

/** Called as the thing with more behind it: `apiary_owner` of `apiary`. */
const isCalledAfter = ({ name }: ColumnProfile, head: ColumnProfile): boolean => {
  const [own, thing] = [wordsOfName(name).join(' '), wordsOfName(thingNamed(head.name)).join(' ')];
  return thing.length > 2 && own !== thing && own.startsWith(`${thing} `);
};

/** What is counted tells no thing. */
export const isMeasured = (profile: ColumnProfile | undefined): boolean => measured.has(profile?.type ?? 'text');

/** A value that is the same but for a few rows says nothing of the thing. */
export const varies = (profile: ColumnProfile | undefined): boolean =>
  profile !== undefined && (profile.values[0]?.count ?? 0) < profile.filled * 0.95;

const kinds = (profile: ColumnProfile | undefined): number =>
  profile && !isMeasured(profile) ? (profile.distinct ?? Infinity) : 0;

/** Rows on which it says nothing. */
const unsaid = (profile: ColumnProfile | undefined): number =>
  profile ? profile.blankWords.reduce((sum, { count }) => sum + count, profile.blanks) : 0;

/** How much a column reads as what a thing is known by. */
function telling(profile: ColumnProfile | undefined): number {
  if (!profile) return -1;
  const words = wordsOfName(profile.name);
  return (
    (speaksOfKey(profile.name) || namedAs(profile.name) === 'key' ? 4 : 0) +
    (profile.pattern || profile.leadingZeros ? 3 : 0) +
    (nameWords.test(profile.name) || words.at(-1) === 'name' ? 1 : 0) +
    (isAddressPart(profile) ? -8 : 0) +
    (profile.type === 'option' ? -1 : 0) -
    Math.min(2, Math.max(0, profile.longest - 40) / 20)
  );
}

/**
 * One dependent alone may be an accident of few values: it is worth a table only where the two determine each other, as
 * a code and its name do, where the determinant reads as a key, or where the dependent is called after it.
 */
function isWorth({ determinant, dependents, distinct }: Split, { members }: Thing, columns: readonly ColumnProfile[]) {
  const head = columns[determinant];
  const real = dependents.filter(({ column }) => varies(columns[column]));
  if (!head || real.length === 0) return false;
  const isKey = isKeyLike(head);
  const repeats = head.filled / Math.max(1, distinct);
  const isCalled = real.some(({ column }) => columns[column] && isCalledAfter(columns[column], head));
  // Things that come but twice are lines under them, which a key has to tell, and more than what is measured of them.
  const areWords = real.some(({ column }) => !isMeasured(columns[column]));
  if (repeats < leastRepeats.named) return (isKey || isCalled) && real.length >= 2 && areWords;
  const hasCode = members.some((one) => columns[one] && isKeyLike(columns[one]));
  if (members.length >= 2) return distinct >= 3 && (hasCode || real.length >= 2 || isCalled);
  // A kind of things is a thing of its own where more is told of it than yes or no.
  const telling = real.filter(({ column }) => columns[column]?.type !== 'yesNo');
  // Where a name comes again and again, always with the same, that is no accident: places within provinces.
  const isAlways = real.every(({ column, exceptions }) => exceptions === 0 && kinds(columns[column]) >= 3);
  if (real.length === 1 && !isAddressPart(head) && distinct >= 20 && repeats >= 5 && isAlways) return true;
  if (isAddressPart(head) && members.length === 1 && !isCalled) return false;
  if (real.length >= 2) return isKey || (distinct >= 3 && (isCalled || telling.length >= 2));
  return (isKey && distinct >= 5) || isCalled;
}
