import type { NoSettings } from '../types/field';
import { bad, good } from '../base/problem';
import type { ValueKind } from './kind';
import { heldAsText, shorten } from './text';

const shape = /^\+?[0-9 ()/.-]+$/;

declare module '../types/field' {
  interface FieldTypes {
    readonly phone: NoSettings;
  }
}

/** A telephone number as people write it (ITU-T E.123), with 3 to 15 digits (E.164); several spaces become one. */
export const phone: ValueKind<'phone'> = {
  word: 'phone',
  valueType: () => ({ is: 'text' }),
  canBeUnique: true,
  oneLine: true,
  looksLike: 'own',
  family: 'textual',
  ...heldAsText<'phone'>((written) => {
    const bare = written.replace(/^tel:/i, '').replace(/ +/g, ' ');
    const digits = bare.replace(/[^0-9]/g, '').length;
    return shape.test(bare) && digits >= 3 && digits <= 15
      ? good(bare)
      : bad(`“${shorten(written)}” is no telephone number.`, 'Write 3 to 15 digits, such as +00 555 0142.');
  }),
  sample: (random) => `+00 555 ${String(Math.floor(random() * 10_000)).padStart(4, '0')}`,
};
