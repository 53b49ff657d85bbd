import type { NoSettings } from '../types/field';
import { bad, good } from '../base/problem';
import { plainReading, type ValueKind } from './kind';
import { shorten } from './text';

/** The spellings read as yes and no, in small letters. */
export const yesWords = ['yes', 'y', 'true', 't', '1', 'x', 'on', 'ja', 'oui', 'sí', 'si'] as const;
export const noWords = ['no', 'n', 'false', 'f', '0', 'off', 'nein', 'non'] as const;

declare module '../types/field' {
  interface FieldTypes {
    readonly yesNo: NoSettings;
  }
}

export const yesNo: ValueKind<'yesNo'> = {
  word: 'yes/no',
  valueType: () => ({ is: 'boolean' }),
  looksLike: 'own',
  parse(written) {
    const word = written.toLowerCase();
    if ((yesWords as readonly string[]).includes(word)) return good(true);
    if ((noWords as readonly string[]).includes(word)) return good(false);
    return bad(`“${shorten(written)}” is neither yes nor no.`, 'Write yes or no.');
  },
  take: (value, type) =>
    typeof value === 'boolean'
      ? good(value)
      : typeof value === 'string'
        ? yesNo.parse(value, type, plainReading)
        : bad('This is neither yes nor no.', 'Write true or false.'),
  print: (value) => (value ? 'yes' : 'no'),
  compare: (a, b) => Number(a) - Number(b),
  sample: (random) => random() < 0.5,
};
