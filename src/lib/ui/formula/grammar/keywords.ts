import { CaseWord, Constant, EndWord, Keyword } from './parser.terms.js';

const keywords = new Set(
  'and or not is in like between when then else as from for where filter distinct order by asc desc date timestamp interval cast extract'.split(
    ' ',
  ),
);
/** Words that are a function where a bracket follows; the grammar cannot look so far ahead. */
const both = new Set(['date', 'cast', 'extract']);

/**
 * Which term of the grammar a word is, in capitals or small letters; -1: a name.
 *
 * @public
 */
export function keyword(word: string): number {
  const small = word.toLowerCase();
  if (small === 'case') return CaseWord;
  if (small === 'end') return EndWord;
  if (small === 'true' || small === 'false' || small === 'null') return Constant;
  return keywords.has(small) && !both.has(small) ? Keyword : -1;
}
