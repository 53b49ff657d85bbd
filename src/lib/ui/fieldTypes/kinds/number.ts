import type { FieldUi } from '../kind';
import { decimalWords, digitsIn, digitsOf, meanText, withPoint } from '../numberText';

const unitOf = ({ unit }: { readonly unit?: string }): string => (unit ? ` ${unit}` : '');

export const number: FieldUi<'number'> = {
  group: 'Numbers',
  width: 104,
  alignsRight: true,
  about: ({ digits, unit }) => [decimalWords(digits), unit],
  isNumber: () => true,
  mean: (value, type) => meanText(value, type.digits === null ? 2 : type.digits + 1) + unitOf(type),
  input: { line: 'decimal', written: withPoint, unit: ({ unit }) => unit ?? '' },
  draft: {
    from: ({ digits, unit }) => ({ digits: digitsIn(digits), unit: unit ?? '' }),
    to: ({ digits, unit }) => ({ digits: digitsOf(digits), unit }),
    ruled: () => ({ kind: 'number', digits: null }),
    reads: { kind: 'number', digits: null },
    readings: 'decimal',
    settings: () => import('../settings/NumberSettings.svelte'),
  },
  pasted: {
    number: (unit) => ({ unit }),
    decimal: (unit) => ({ unit }),
    whole: (unit) => ({ unit, digits: '0' }),
    integer: (unit) => ({ unit, digits: '0' }),
  },
};
