const keyWord = /(?:^|[\s_.-])(?:no|nr|id|code|key|number|num|mark)\.?$/i;
/** `HiveCode`; not `volcano`. */
const keyWordInside = /(?<=[a-z])(?:No|Nr|Id|ID|Code|Key)$/;

/** Whether a column's name says that it holds a key. */
export const speaksOfKey = (name: string): boolean => keyWord.test(name) || keyWordInside.test(name);

/** The name without the word for a key at its end. */
const withoutKeyWord = (name: string): string => name.replace(keyWord, '').replace(keyWordInside, '');

/** Words that say that it holds a name. */
export const nameWords = /(?:^|[\s_.-])(?:name|title|label)$/i;

/** What a column of keys or names is about: `keeper_code` → `keeper`. */
export function thingNamed(column: string): string {
  const bare = withoutKeyWord(column)
    .replace(nameWords, '')
    .replace(/[\s_.-]+$/, '')
    .trim();
  return bare === '' ? column : bare;
}

/** Its plural, for the table of such things: `keeper_code` → `keepers`. */
export function thingsNamed(column: string): string {
  const word = thingNamed(column);
  if (/[^aeiou]y$/i.test(word)) return `${word.slice(0, -1)}ies`;
  return /(?:s|x|z|ch|sh)$/i.test(word) ? `${word}es` : `${word}s`;
}

/** One of many: `hives` → `hive`, `apiaries` → `apiary`. */
export const oneOf = (things: string): string =>
  things
    .replace(/ies$/i, 'y')
    .replace(/(x|z|ch|sh|ss)es$/i, '$1')
    .replace(/([^s])s$/i, '$1');

/** `hive_no`, `HiveCode` → `Hive no`, `Hive code`. */
export function labelFromName(name: string): string {
  const words = name
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/[_\s]+/g, ' ')
    .trim();
  return (words.charAt(0).toUpperCase() + words.slice(1).toLowerCase() || 'Column').slice(0, 120);
}
