import { hundredths } from '$core/fieldTypes/percent';
import type { FieldUi } from '../kind';
import { decimalWords, digitsIn, digitsOf, meanText } from '../numberText';
import { shareInput } from './progress';

export const percent: FieldUi<'percent'> = {
  group: 'Numbers',
  width: 96,
  alignsRight: true,
  about: ({ digits }) => [decimalWords(digits)],
  edit: (value) => `${hundredths(value)} %`,
  isNumber: () => true,
  mean: (value, { digits }) => `${meanText(value * 100, digits === null ? 2 : digits + 1)} %`,
  input: shareInput,
  draft: {
    from: ({ digits }) => ({ digits: digitsIn(digits) }),
    to: ({ digits }) => ({ digits: digitsOf(digits) }),
    ruled: () => ({ kind: 'percent', digits: null }),
    reads: { kind: 'percent', digits: null },
    readings: 'decimal',
    settings: () => import('../settings/NumberSettings.svelte'),
  },
  pasted: { percent: () => ({}), '%': () => ({}) },
};
