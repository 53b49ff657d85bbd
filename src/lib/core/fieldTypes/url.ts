import type { NoSettings } from '../types/field';
import { bad, good } from '../base/problem';
import type { ValueKind } from './kind';
import { heldAsText, shorten } from './text';

const longest = 2000;
const withScheme = /^https?:\/\/[^\s/?#@]+\.?[^\s@/?#]*(?:[/?#]\S*)?$/i;
const bare = /^[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+(?::\d{1,5})?(?:[/?#]\S*)?$/;

declare module '../types/field' {
  interface FieldTypes {
    readonly url: NoSettings;
  }
}

/** A web address (RFC 3986, http or https); without a scheme it gets https. */
export const url: ValueKind<'url'> = {
  word: 'web address',
  valueType: () => ({ is: 'text' }),
  canBeUnique: true,
  oneLine: true,
  looksLike: 'own',
  family: 'textual',
  ...heldAsText<'url'>((written) => {
    if (written.length > longest) return bad(`The address has more than ${longest} characters.`, 'Shorten it.');
    if (withScheme.test(written)) return good(written);
    return bare.test(written)
      ? good(`https://${written}`)
      : bad(`“${shorten(written)}” is no web address.`, 'Write it as https://alderfold.example/page.');
  }),
  sample: (random) => `https://alderfold.example/${Math.floor(random() * 1000)}`,
};
