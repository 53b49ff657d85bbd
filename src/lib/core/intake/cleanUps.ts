/** A clean-up that can be chosen instead of written; it is a formula all the same. */
export interface CleanUp {
  readonly id: string;
  readonly words: string;
  /** What has to be said for it: texts, or another column of the sheet. */
  readonly asks: readonly {
    readonly words: string;
    readonly kind: 'text' | 'number' | 'column';
    readonly start: string;
  }[];
  readonly write: (parts: readonly string[]) => string;
}

const text = (words: string, start = '') => ({ words, kind: 'text', start }) as const;
const column = (words: string) => ({ words, kind: 'column', start: '' }) as const;
const quoted = (part: string | undefined) => `'${(part ?? '').replaceAll("'", "''")}'`;

/** In the order in which they are offered. */
export const cleanUps: readonly CleanUp[] = [
  { id: 'upper', words: 'capital letters', asks: [], write: () => 'upper(value)' },
  { id: 'lower', words: 'small letters', asks: [], write: () => 'lower(value)' },
  { id: 'proper', words: 'a capital at the beginning of each word', asks: [], write: () => 'proper(value)' },
  {
    id: 'replace',
    words: 'replace a part',
    asks: [text('replace', '-'), text('by')],
    write: ([from, to]) => `replace(value, ${quoted(from)}, ${quoted(to)})`,
  },
  {
    id: 'before',
    words: 'only what stands before a sign',
    asks: [text('sign', '(')],
    write: ([sign]) =>
      `case when position(${quoted(sign)} in value) > 0 then trim(left(value, position(${quoted(sign)} in value) - 1)) else value end`,
  },
  {
    id: 'after',
    words: 'only what stands behind a sign',
    asks: [text('sign', ':')],
    write: ([sign]) =>
      `case when position(${quoted(sign)} in value) > 0 then trim(substring(value from position(${quoted(sign)} in value) + ${Math.max(1, sign?.length ?? 1)})) else value end`,
  },
  {
    id: 'first',
    words: 'the first few signs',
    asks: [{ words: 'how many', kind: 'number', start: '3' }],
    write: ([n]) => `left(value, ${wholeNumber(n)})`,
  },
  {
    id: 'last',
    words: 'the last few signs',
    asks: [{ words: 'how many', kind: 'number', start: '3' }],
    write: ([n]) => `right(value, ${wholeNumber(n)})`,
  },
  {
    id: 'prefix',
    words: 'put something before it',
    asks: [text('text', 'H-')],
    write: ([prefix]) => `${quoted(prefix)} || value`,
  },
  {
    id: 'suffix',
    words: 'put something behind it',
    asks: [text('text')],
    write: ([suffix]) => `value || ${quoted(suffix)}`,
  },
  {
    id: 'sign',
    words: 'turn the sign of numbers',
    asks: [],
    write: () => "case when left(value, 1) = '-' then substring(value from 2) else '-' || value end",
  },
  {
    id: 'brackets',
    words: 'numbers in brackets are below zero',
    asks: [],
    write: () =>
      "case when value like '(%)' then '-' || substring(value from 2 for char_length(value) - 2) else value end",
  },
  {
    id: 'blank',
    words: 'another column where it is blank',
    asks: [column('column')],
    write: ([other]) => `coalesce(value, ${other})`,
  },
  {
    id: 'together',
    words: 'together with another column',
    asks: [column('column'), text('between', ' ')],
    write: ([other, between]) => `value || coalesce(${quoted(between)} || ${other}, '')`,
  },
];

const wholeNumber = (n: string | undefined): number => Math.max(1, Math.trunc(Number(n)) || 1);
