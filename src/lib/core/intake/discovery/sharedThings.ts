import { groupedBy } from '../../base/grouped';
import { tellingWords } from '../calledAfter';
import { namedAs, wordsOfName } from '../columns/columnWords';
import type { ColumnProfile, IntakeSheet, SplitPart } from '../intake';
import { thingNamed, thingsNamed } from '../naming';
import { isAddressPart, isKeyLike } from './splits';

/** What is left of a column's name without the words that it shares with what tells the thing. */
const rest = (name: string, telling: string): string => {
  const own = new Set(wordsOfName(telling));
  return wordsOfName(name)
    .filter((word) => !own.has(word))
    .join(' ');
};

/**
 * A part of a split laid beside another one: for each column that belongs to the other's thing, the one of this part that
 * says the same of its own; null where none does. By the names without what tells the thing (`home town`, `away town`),
 * or by their places where both have as many in one sheet.
 */
export function laidBeside(
  sheets: readonly IntakeSheet[],
  part: SplitPart,
  other: SplitPart,
): readonly (number | null)[] {
  const nameAt = ({ sheet }: SplitPart, column: number | null) =>
    (column === null ? undefined : sheets[sheet]?.columns[column]?.name) ?? '';
  const restAt = (one: SplitPart, column: number | null) => rest(nameAt(one, column), nameAt(one, one.determinant));
  const byPlace = part.sheet === other.sheet && part.dependents.length === other.dependents.length;
  return other.dependents.map((column, at) => {
    const own = restAt(other, column);
    const alike = part.dependents.find(
      (one) => restAt(part, one) === own || nameAt(part, one) === nameAt(other, column),
    );
    return alike ?? (byPlace ? (part.dependents[at] ?? null) : null);
  });
}

/**
 * What things are called that several columns name: by the words that these share (`team1`, `team2` → `teams`), else by
 * each of them.
 */
export function sharedName(columns: readonly string[]): string {
  const [first = '', ...others] = columns;
  const shared = tellingWords(first).filter((word) => others.every((name) => tellingWords(name).includes(word)));
  if (shared.length > 0) return thingsNamed(shared.join(' '));
  return [...new Set(columns.map(thingNamed))].join(' and ');
}

/** Things that two sheets name are worth a table when there are so many of them. */
const leastShared = 5;
/** More columns of a sheet that are called alike but for numbers are those of a questionnaire. */
const mostAlike = 4;

/**
 * Columns of several sheets that may name the same things, of which no sheet tells more: called alike, each with values
 * that come again. `isFree`: columns that lead nowhere yet.
 */
export function namedTogether(
  sheets: readonly IntakeSheet[],
  isFree: (sheet: number, column: number) => boolean,
): readonly (readonly SplitPart[])[] {
  const byName = new Map<string, SplitPart[]>();
  sheets.forEach(({ columns, declared }, sheet) => {
    if (declared?.columns) return;
    columns.forEach((profile, determinant) => {
      const words = tellingWords(profile.name).join(' ');
      if (words === '' || !isFree(sheet, determinant) || !namesThings(profile)) return;
      byName.set(words, [...(byName.get(words) ?? []), { sheet, determinant, dependents: [] }]);
    });
  });
  return [...byName.values()].filter(
    (parts) =>
      new Set(parts.map(({ sheet }) => sheet)).size > 1 &&
      [...groupedBy(parts, ({ sheet }) => String(sheet)).values()].every((of) => of.length <= mostAlike),
  );
}

/** What is told of things, or what people are called to do. */
const told =
  /(?:title|role|job|profession|occupation|notes?|remarks?|comments?|description|text|reason|bemerkung(?:en)?|notiz(?:en)?|kommentar|commentaire|observaciones|note)$/i;

/** Texts that name things: codes of some length, or names; kinds of things and parts of addresses are lists at most. */
function namesThings(profile: ColumnProfile): boolean {
  const { name, type, longest, filled, distinct, values } = profile;
  const called = namedAs(name);
  if (called === 'class' || called === 'measure' || isAddressPart(profile)) return false;
  if (distinct === null || distinct < leastShared || distinct * 1.5 > filled || longest < 3 || longest > 80)
    return false;
  if (told.test(name.trim())) return false;
  const areNames = values.filter(({ text }) => /\p{L}\p{P}?\s+\p{L}/u.test(text)).length > values.length / 2;
  return type === 'text' || (type === 'option' && (isKeyLike(profile) || areNames));
}
