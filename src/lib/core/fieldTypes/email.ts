import type { NoSettings } from '../types/field';
import { bad, good } from '../base/problem';
import type { ValueKind } from './kind';
import { heldAsText, shorten } from './text';

/** The shape of the HTML standard's valid e-mail address; 254 characters is the most (RFC 5321). */
const shape =
  /^[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]+@[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?(?:\.[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?)+$/;

declare module '../types/field' {
  interface FieldTypes {
    readonly email: NoSettings;
  }
}

export const email: ValueKind<'email'> = {
  word: 'email',
  valueType: () => ({ is: 'text' }),
  canBeUnique: true,
  oneLine: true,
  looksLike: 'own',
  family: 'textual',
  ...heldAsText<'email'>((written) => {
    const bare = written.replace(/^mailto:/i, '');
    return bare.length <= 254 && shape.test(bare)
      ? good(bare)
      : bad(`“${shorten(written)}” is no email address.`, 'Write it as ida@alderfold.example.');
  }),
  sample: (random) => `keeper${Math.floor(random() * 100)}@alderfold.example`,
};
