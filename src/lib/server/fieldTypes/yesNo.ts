import { quoteText } from '$core/base/sql';
import { noWords, yesWords } from '$core/fieldTypes/yesNo';
import type { StoredKind } from './kind';

const yesNoText = (value: string): string => `case ${value} when true then 'yes' when false then 'no' end`;

// The usual spellings first: putting every text in small letters by ICU costs as much as all the rest.
const usual = (words: readonly string[]) =>
  words.flatMap((word) => [word, word.charAt(0).toUpperCase() + word.slice(1), word.toUpperCase()]);
const among = (value: string, words: readonly string[]) =>
  `${value} in (${[...new Set(words)].map(quoteText).join(', ')})`;

export const yesNo: StoredKind<'yesNo'> = {
  textSql: yesNoText,
  cellSql: yesNoText,
  cell: (value) => ({ text: value ? 'yes' : 'no', yes: value === true }),
  workbookWidth: 8,
  readSql: (text) =>
    `case when ${among(text, usual(yesWords))} then true when ${among(text, usual(noWords))} then false` +
    ` when ${among(`lower(${text})`, yesWords)} then true when ${among(`lower(${text})`, noWords)} then false end`,
};
