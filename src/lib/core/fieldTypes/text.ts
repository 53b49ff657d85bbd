import { bad, good, type Result } from '../base/problem';
import type { Random, Reading, ValueKind } from './kind';

/** By Unicode code point, as PostgreSQL's collation "C" does on UTF-8; JavaScript's own `<` goes by UTF-16 unit. */
export function compareCodePoints(a: string, b: string): number {
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    const x = a.charCodeAt(i);
    const y = b.charCodeAt(i);
    if (x === y) continue;
    // Surrogates (0xd800–0xdfff) stand for code points above every other unit.
    const lift = (unit: number) => (unit >= 0xd800 && unit <= 0xdfff ? unit + 0x10000 : unit);
    return lift(x) - lift(y);
  }
  return a.length - b.length;
}

const longestText = 100_000;

/** Long values are cut in messages. */
export const shorten = (written: string): string => (written.length > 60 ? `${written.slice(0, 57)}…` : written);

const words = ['meadow', 'fell', 'ridge', 'brook', 'linden', 'heather', 'quiet', 'early', 'strong', 'north'];

/** A few made-up words. */
export const sampleWords = (random: Random, most: number): string =>
  Array.from({ length: 1 + Math.floor(random() * most) }, () => words[Math.floor(random() * words.length)]).join(' ');

/** A text of at most so many characters, counted as people do. */
export function textWithin(written: string, most: number): Result<string> {
  if (written.includes('\0')) return bad('A NUL character cannot be stored.', 'Take it out.');
  if (written.length > most && [...written].length > most)
    return bad(`${[...written].length} characters; ${most} is the most here.`, 'Shorten it.');
  return good(written);
}

/** The members that every kind held as text shares. */
export const heldAsText = <K extends 'text' | 'longText' | 'url' | 'email' | 'phone' | 'runningNumber'>(
  parse: ValueKind<K>['parse'],
) => ({
  parse,
  take: (value: unknown, type: Parameters<ValueKind<K>['parse']>[1], reading: Reading) =>
    typeof value === 'string' ? parse(value.trim(), type, reading) : bad('This is no text.', 'Write it in quotes.'),
  print: (value: unknown) => String(value),
  compare: (a: unknown, b: unknown) => compareCodePoints(String(a), String(b)),
});

declare module '../types/field' {
  interface FieldTypes {
    readonly text: { readonly maxLength?: number };
  }
}

export const text: ValueKind<'text'> = {
  word: 'text',
  valueType: () => ({ is: 'text' }),
  canBeUnique: true,
  oneLine: true,
  looksLike: 'words',
  check: ({ maxLength }, label) =>
    maxLength === undefined || (Number.isInteger(maxLength) && maxLength >= 1 && maxLength <= longestText)
      ? good(true)
      : bad(
          `“${label}” cannot have a length of ${maxLength} characters.`,
          `Choose 1 to ${longestText.toLocaleString('en')}.`,
        ),
  narrows: (old, now) => (now.maxLength ?? Infinity) < (old.maxLength ?? Infinity),
  family: 'textual',
  ...heldAsText<'text'>((written, type) => textWithin(written, type.maxLength ?? longestText)),
  // Spaces at both ends are kept where a program sends them.
  take: (value, type) =>
    typeof value === 'string'
      ? textWithin(value, type.maxLength ?? longestText)
      : bad('This is no text.', 'Write it in quotes.'),
  sample: (random) => sampleWords(random, 3),
};
