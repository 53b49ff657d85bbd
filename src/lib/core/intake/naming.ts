import { wordsOfName } from './columns/columnWords';

const keyWord = /(?:^|[\s_.-])(?:no|nr|id|code|key|number|num|mark)\.?$/i;
/** `HiveCode`; not `volcano`. */
const keyWordInside = /(?<=[a-z])(?:No|Nr|Id|ID|Code|Key)$/;
/** The same before what it is the key of, as languages have it that put the main word first. */
const keyWordFirst =
  /^(?:cod[ei]|c[oó]dic?e?|c[oó]digo|n[uú]m[eé]ro|num|cl[ée]|denominazione|nome|nom|nombre)[\s_.-]+(?:d[eiu]l?l?[aeo']?\s*)?/i;

/** Whether a column's name says that it holds a key. */
export const speaksOfKey = (name: string): boolean => keyWord.test(name) || keyWordInside.test(name);

/** The name without the word for a key at its end. */
const withoutKeyWord = (name: string): string => name.replace(keyWord, '').replace(keyWordInside, '');

/** Words that say that it holds a name. */
export const nameWords = /(?:^|[\s_.-])(?:name|title|label)$/i;

/** What a column of keys or names is about: `keeper_code` → `keeper`, `Codice Regione` → `Regione`. */
export function thingNamed(column: string): string {
  const bare = withoutKeyWord(column)
    .replace(nameWords, '')
    .replace(/(?<=[a-z])Name$/, '')
    .replace(keyWordFirst, '')
    .replace(/[\s_.-]+$/, '')
    .trim();
  return bare === '' ? column : bare;
}

/** Plurals that no rule gives; the last word of a name decides. */
const plurals: Readonly<Record<string, string>> = {
  person: 'people',
  child: 'children',
  man: 'men',
  woman: 'women',
  foot: 'feet',
  tooth: 'teeth',
  shelf: 'shelves',
  leaf: 'leaves',
  half: 'halves',
  knife: 'knives',
  life: 'lives',
  wolf: 'wolves',
  loaf: 'loaves',
  index: 'indices',
};
const unchanged = /(?:species|series|sheep|news|staff|equipment|data|stock|fish|info|postal|gps|status|address)$/i;
/** Words of other languages than English are left as they are. */
const isForeign = (column: string): boolean =>
  keyWordFirst.test(column) ||
  /[^ -~]/.test(column) ||
  /(?:nummer|ione|keit|heit|ung|eur|cion|dad|tat)\b/i.test(column);

/** Names that say nothing of the thing. */
const generic = new Set(['name', 'code', 'id', 'no', 'nr', 'number', 'key', 'title', 'label', 'item', 'value']);

/**
 * What a table of such things is called, in the file's own words: `keeper_code` → `keepers`. Words that have no plural,
 * or are of another language, are left; a name that says nothing is that of the sheet with it behind.
 */
export function thingsNamed(column: string, sheet?: string): string {
  const word = thingNamed(column);
  if (sheet !== undefined && generic.has(wordsOfName(word).join(' '))) return `${oneOf(sheet)} ${thingsNamed(word)}`;
  if (isForeign(column)) return word;
  const last = /[a-z]+$/i.exec(word)?.[0] ?? '';
  const known = plurals[last.toLowerCase()];
  if (known) return `${word.slice(0, word.length - last.length)}${known}`;
  if (unchanged.test(word) || last === '') return word;
  if (/[^aeiou]y$/i.test(word)) return `${word.slice(0, -1)}ies`;
  // Already more than one.
  if (/[^su]s$/i.test(word)) return word;
  return /(?:s|x|z|ch|sh)$/i.test(word) ? `${word}es` : `${word}s`;
}

const ofPeople = /(?:^|[\s_.-])(?:first|last|given|family|sur|fore|vor|nach)?[\s_.-]?name$/i;

/**
 * What a table of things is called that two columns tell together: by what both are called after
 * (`customer_first_name`, `customer_last_name` → `customers`), people for bare names, else by both.
 */
export function pairNamed(column: string, beside: string): string {
  const bare = [column, beside].map((name) => name.replace(/([a-z])([A-Z])/g, '$1 $2'));
  const [words, others] = bare.map((name) => name.split(/[\s_.-]+/)) as [string[], string[]];
  const at = words.findIndex((word, place) => word.toLowerCase() !== others[place]?.toLowerCase());
  const shared = words.slice(0, Math.max(0, at)).join(' ');
  if (shared !== '') return thingsNamed(shared);
  return bare.every((name) => ofPeople.test(name)) ? 'People' : `${thingNamed(beside)} ${thingsNamed(column)}`;
}

/** One of many: `hives` → `hive`, `apiaries` → `apiary`. */
export const oneOf = (things: string): string =>
  things
    .replace(/ies$/i, 'y')
    .replace(/(x|z|ch|sh|ss)es$/i, '$1')
    .replace(/([^s])s$/i, '$1');

const singulars = new Map(Object.entries(plurals).map(([one, many]) => [many, one]));
/** The same for a word in small letters, with those that no rule gives: `people` → `person`. */
export const oneOfMany = (word: string): string => singulars.get(word) ?? (unchanged.test(word) ? word : oneOf(word));

/** `hive_no`, `HiveCode` → `Hive no`, `Hive code`. */
export function labelFromName(name: string): string {
  const words = name
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/[_\s]+/g, ' ')
    .trim();
  return (words.charAt(0).toUpperCase() + words.slice(1).toLowerCase() || 'Column').slice(0, 120);
}
