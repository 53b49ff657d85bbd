import { bad, good } from '../problem';
import type { ValueKind } from './kind';

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

export const longestText = 100_000;

const words = ['meadow', 'fell', 'ridge', 'brook', 'linden', 'heather', 'quiet', 'early', 'strong', 'north'];

export const text: ValueKind<'text'> = {
  parse(written, type) {
    const most = type.maxLength ?? longestText;
    if (written.includes('\0')) return bad('A NUL character cannot be stored.', 'Take it out.');
    if (written.length > most && [...written].length > most) return bad(`${[...written].length} characters; ${most} is the most here.`, 'Shorten it.');
    return good(written);
  },
  take: (value, type) => (typeof value === 'string' ? text.parse(value, type, { decimal: '.', dateOrder: 'ymd' }) : bad('This is no text.')),
  print: (value) => String(value),
  compare: (a, b) => compareCodePoints(String(a), String(b)),
  sample: (random) => Array.from({ length: 1 + Math.floor(random() * 3) }, () => words[Math.floor(random() * words.length)]).join(' '),
};
