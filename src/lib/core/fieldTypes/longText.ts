import { bad } from '../base/problem';
import type { ValueKind } from './kind';
import { heldAsText, sampleWords, textWithin } from './text';

/** A million characters: a book's chapter, and still one row that a page can show. */
export const longestLongText = 1_000_000;

declare module '../types/field' {
  interface FieldTypes {
    readonly longText: { readonly markdown?: true };
  }
}

/** Text of several lines, plain or Markdown. */
export const longText: ValueKind<'longText'> = {
  word: 'long text',
  valueType: () => ({ is: 'text' }),
  looksLike: 'words',
  family: 'textual',
  ...heldAsText<'longText'>((written) => textWithin(written, longestLongText)),
  take: (value) =>
    typeof value === 'string' ? textWithin(value, longestLongText) : bad('This is no text.', 'Write it in quotes.'),
  sample: (random) => `${sampleWords(random, 6)}.\n${sampleWords(random, 6)}.`,
};
