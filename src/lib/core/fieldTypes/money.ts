import { unmeasured, type Reading, type ValueKind } from './kind';
import { bad, good, type Result } from '../base/problem';
import type { Scalar } from '../types/expression';
import type { TypeOf } from '../types/field';
import { canonicalNumber, compareNumbers, Exact, readNumber, takeNumber, digitsWithin, numberJson } from './number';
import { compareCodePoints, shorten } from './text';
import { numberText } from './numberText';

/** Currencies (ISO 4217) with the signs they are written with where that is unmistakable. */
export const currencies: Readonly<Record<string, string>> = {
  EUR: '€',
  GBP: '£',
  CHF: '',
  CZK: 'Kč',
  DKK: '',
  HUF: 'Ft',
  NOK: '',
  PLN: 'zł',
  RON: '',
  SEK: '',
  AUD: '',
  CAD: '',
  CNY: '',
  INR: '₹',
  JPY: '',
  NZD: '',
  USD: '$',
  ZAR: '',
};

const bySign = new Map(
  Object.entries(currencies)
    .filter(([, sign]) => sign !== '')
    .map(([code, sign]) => [sign, code]),
);

const sign = '[A-Za-z]{3}|[€£$₹]|Kč|Ft|zł';
/** A sign before the currency, or the brackets of accounts around both: what is less than nothing. */
const signedFirst = new RegExp(`^([-+−])\\s*(${sign})\\s*([\\d.,]+)$`);
const bracketed = new RegExp(`^\\(\\s*(${sign})?\\s*([\\d.,]+)\\s*(${sign})?\\s*\\)$`);
/** The currency written beside an amount, before or behind it. */
const shape = /^([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?\s*([-+−]?[\d.,]+|\( ?[\d.,]+ ?\))\s*([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?$/;

/** Amount and currency of a money value of a chosen currency. */
export function moneyParts(value: Scalar): { amount: string; currency: string } {
  const [amount = '0', currency = ''] = String(value).split(' ');
  return { amount, currency };
}

function settled(amount: Result<string>, currency: string | null, type: TypeOf<'money'>): Result<Scalar> {
  if (!amount.ok) return amount;
  if (type.currency !== null)
    return currency === null || currency === type.currency
      ? amount
      : bad(
          `This field holds ${type.currency}, not ${currency}.`,
          'Convert the amount, or let each record choose its currency.',
        );
  if (currency === null)
    return bad(`${amount.value} says no currency.`, 'Write it behind the amount, such as 12.50 EUR.');
  return currency in currencies
    ? good(`${amount.value} ${currency}`)
    : bad(
        `${currency} is no currency known here.`,
        `Use ${Object.keys(currencies).slice(0, 4).join(', ')} or another code of ISO 4217.`,
      );
}

function read(written: string, type: TypeOf<'money'>, reading: Pick<Reading, 'decimal'>): Result<Scalar> {
  const plainly = written.replace(signedFirst, '$2$1$3').replace(bracketed, '$1-$2$3');
  const found = shape.exec(plainly);
  const sign = found?.[1] ?? found?.[3];
  if (!found || (found[1] && found[3]))
    return bad(`“${shorten(written)}” is no amount of money.`, 'Write digits, such as 12.50 EUR.');
  return settled(
    readNumber(found[2] ?? '', type.digits, reading),
    sign === undefined ? null : (bySign.get(sign) ?? sign.toUpperCase()),
    type,
  );
}

declare module '../types/field' {
  interface FieldTypes {
    /** `currency`: an ISO 4217 code; null lets each record choose. */
    readonly money: { readonly currency: string | null; readonly digits: number };
  }
}

/** An exact amount: in the field's currency, or with the currency of its own. */
export const money: ValueKind<'money'> = {
  text: (value, type, { locale }) => {
    const amount =
      typeof value === 'object'
        ? (value as { amount: number | string; currency: string })
        : { amount: value as number | string, currency: type.currency ?? '' };
    return `${numberText(amount.amount, type.digits, locale)} ${amount.currency}`;
  },
  word: 'money',
  mean: (type) => ({ ...type, digits: type.digits + 1 }),
  valueType: ({ currency }) => ({ is: currency === null ? 'money' : 'number' }),
  canBeUnique: true,
  looksLike: 'numbers',
  check: ({ currency, digits }, label) =>
    currency !== null && !(currency in currencies)
      ? bad(`“${currency}” is no currency known here.`, `Use one of ${Object.keys(currencies).join(', ')}.`)
      : digitsWithin(label, digits),
  measure: ({ currency, digits }) => (currency === null ? unmeasured : { is: 'money', currency, digits }),
  narrows: (old, now) => now.digits < old.digits || (now.currency !== old.currency && now.currency !== null),
  json(value, { currency }) {
    if (currency !== null) return numberJson(String(value));
    const { amount, currency: own } = moneyParts(value);
    return { amount: numberJson(amount), currency: own };
  },
  convertibleText: (value, { currency }) => (currency === null ? String(value) : `${String(value)} ${currency}`),
  parse: read,
  take(value, type) {
    if (typeof value === 'object' && value !== null && 'amount' in value) {
      const currency = 'currency' in value && typeof value.currency === 'string' ? value.currency : null;
      return settled(takeNumber(value.amount, type.digits), currency, type);
    }
    if (typeof value === 'string') return read(value.trim(), type, { decimal: '.' });
    return settled(takeNumber(value, type.digits), null, type);
  },
  print(value, type) {
    if (type.currency !== null) return `${new Exact(String(value)).toFixed(type.digits)} ${type.currency}`;
    const { amount, currency } = moneyParts(value);
    return `${new Exact(amount).toFixed(type.digits)} ${currency}`;
  },
  compare(a, b, type) {
    if (type.currency !== null) return compareNumbers(a, b);
    const [x, y] = [moneyParts(a), moneyParts(b)];
    return compareCodePoints(x.currency, y.currency) || compareNumbers(x.amount, y.amount);
  },
  sample(random, type) {
    const amount = canonicalNumber(new Exact(random() * 50).toDecimalPlaces(type.digits));
    return type.currency === null ? `${amount} EUR` : amount;
  },
};
