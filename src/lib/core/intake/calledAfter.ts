import { wordsOfName } from './columns/columnWords';
import { oneOfMany } from './naming';

/**
 * How a column is called beside a sheet whose key it may hold:
 * - `exactly`: as one of its things, with or without its key or the column's own sheet (`hive`, `hive_no` of Hives,
 *   `damage_class_id` in moves of move_damage_classes);
 * - `end`: its last word is theirs, and one of both says no more (`trigger_item` of items, `species` of plant_species);
 * - `holds`: all words of the things stand in it (`item_sold` of items);
 * - `alike`: as the key itself, which says more than that it is one (`iata`);
 * - `part`: some word of it is theirs;
 * - `other`: after something else;
 * - `silent`: it only says that it is a key or a name.
 */
export type Called = 'exactly' | 'end' | 'holds' | 'alike' | 'part' | 'other' | 'silent';

/** From the most telling to the least; what says nothing tells as much as what says something else. */
const order: readonly Called[] = ['exactly', 'alike', 'end', 'holds', 'part', 'silent', 'other'];
export const tellsMore = (a: Called, b: Called): boolean => order.indexOf(a) < Math.min(order.indexOf(b), 5);

/** Words that only say that a column is a key, or names its rows. */
const silent = new Set(
  `id ids no nr num number code codes key title name label ref reference fk pk uuid guid nummer numero numéro nom nome
  nombre cod kod codice codici codigo cle clave kode of the by in at for from to de del della du der die das`.split(
    /\s+/,
  ),
);
/** What stands behind the thing in compound words: `Kundennummer`. */
const compound = /(?<=\p{L}{4})(?:nummer|code|kode|nr|kennung|schlussel|id|name)$/u;

/** The words of a name that say what it is about, each for one of them. */
export const tellingWords = (name: string): readonly string[] =>
  wordsOfName(name).flatMap((word) => {
    const bare = silent.has(word) ? '' : oneOfMany(word.replace(compound, ''));
    return bare === '' || silent.has(bare) ? [] : [bare];
  });

/** Endings by which languages tell one from many; of those that take one away, both are written. */
const plurals = new Set(['|e', '|i', '|n', '|s', '|en', '|er', '|es', 'a|e', 'e|i', 'o|i', 'a|i', 'us|i', 'um|a']);

function isPlural(a: string, b: string): boolean {
  let same = 0;
  while (same < a.length && a[same] === b[same]) same++;
  const [x, y] = [a.slice(same), b.slice(same)];
  return same >= 4 && (plurals.has(`${x}|${y}`) || plurals.has(`${y}|${x}`));
}

/** The same word, in the singular or the plural, or cut short: `cust`, `dept`. */
function isSameWord(a: string, b: string): boolean {
  if (a === b || isPlural(a, b)) return true;
  const [short, long] = a.length < b.length ? [a, b] : [b, a];
  if (short.length < 3 || short.length * 3 < long.length || short[0] !== long[0]) return false;
  if (long.startsWith(short)) return short.length >= 4 || long.length <= 8;
  // Its consonants in their order, with its last letter.
  if (short.length < 4 || short.at(-1) !== long.at(-1)) return false;
  let at = 0;
  for (const letter of long) if (letter === short[at]) at++;
  return at === short.length && !/[aeiou]/.test(short.slice(2, -1));
}

const has = (words: readonly string[], word: string | undefined): boolean =>
  word !== undefined && words.some((one) => isSameWord(one, word));
const isWithin = (words: readonly string[], all: readonly string[]): boolean => words.every((word) => has(all, word));
const isSame = (a: readonly string[], b: readonly string[]): boolean =>
  a.length > 0 && b.length > 0 && isWithin(a, b) && isWithin(b, a);

/** The same for names of which the telling words are known: very many columns are held against every sheet. */
export function calledByWords(
  own: readonly string[],
  sheet: readonly string[],
  { things: target, key: keyWords }: { readonly things: readonly string[]; readonly key: readonly string[] },
): Called {
  if (own.length === 0) return 'silent';
  const last = own.at(-1);
  const isLast = has(target.slice(-1), last);
  if (isSame(own, target) || isSame(own, [...target, ...keyWords])) return 'exactly';
  const isWithinBoth = isLast && isWithin(target, [...own, ...sheet]);
  if (isWithinBoth && isWithin(own, target)) return 'exactly';
  if (isSame(own, keyWords)) return has(target, last) || isWithin(own, target) ? 'exactly' : 'alike';
  if (isWithinBoth || (isLast && isWithin(own, target))) return 'end';
  if (target.length > 0 && isWithin(target, own)) return 'holds';
  return own.some((word) => has(target, word) || has(keyWords, word)) ? 'part' : 'other';
}

/** How a column of a sheet is called beside another sheet and its key. */
export const calledAfter = (
  column: string,
  sheet: string,
  { things, key }: { readonly things: string; readonly key: string },
): Called =>
  calledByWords(tellingWords(column), tellingWords(sheet), { things: tellingWords(things), key: tellingWords(key) });

const speaking: ReadonlySet<Called> = new Set(['exactly', 'alike', 'end', 'holds']);
/** Called so, a column speaks of the sheet or of its key. */
export const isSpeaking = (called: Called): boolean => speaking.has(called);

/** Whether a column's name speaks of a sheet or of its key: `hive_no` of Hives, `hive code` of a key `code`. */
export const speaksOf = (column: string, sheet: string, key: string): boolean =>
  isSpeaking(calledAfter(column, '', { things: sheet, key }));
