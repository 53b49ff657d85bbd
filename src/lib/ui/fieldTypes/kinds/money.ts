import { wordsOf } from '$core/fieldTypes/json';
import type { FieldUi } from '../kind';
import { digitsOf, meanText, withPoint } from '../numberText';

const currency = (code: string) => (code === '' ? {} : { currency: code.toUpperCase() });

export const money: FieldUi<'money'> = {
  group: 'Numbers',
  width: 116,
  alignsRight: true,
  about: (type) => [type.currency ?? 'any currency'],
  edit: (value) => (typeof value === 'object' ? wordsOf(value) : String(value)),
  isNumber: (type) => type.currency !== null,
  mean: (value, type) => `${meanText(value, type.digits + 1)} ${type.currency ?? ''}`,
  shape: (type) => `0.00 ${type.currency ?? 'EUR'}`,
  input: { line: 'decimal', written: withPoint, unit: (type) => type.currency ?? '' },
  draft: {
    from: (type) => ({ currency: type.currency ?? '', digits: String(type.digits) }),
    to: (draft) => ({ currency: draft.currency === '' ? null : draft.currency, digits: digitsOf(draft.digits) ?? 2 }),
    ruled: (draft) => ({ kind: 'money', currency: draft.currency || null, digits: 2 }),
    readings: 'decimal',
    settings: () => import('../settings/MoneySettings.svelte'),
  },
  pasted: { money: currency, amount: currency },
};
