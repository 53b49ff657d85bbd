import { readDuration } from '../../fieldTypes/duration';
import { readInstant } from '../../fieldTypes/dateTime';
import { parseValue, plainReading } from '../../fieldTypes/registry';

/** What a text could be read as beyond numbers, days and yes or no, as bits. */
export const further = {
  percent: 1,
  money: 2,
  unit: 4,
  instantYmd: 8,
  instantDmy: 16,
  instantMdy: 32,
  duration: 64,
  email: 128,
  url: 256,
  phone: 512,
} as const;

const percent = /^[+\-−]?[\d.,]+\s*%$/;
const currency = /[€£$₹]|Kč|Ft|zł|\b[A-Z]{3}\b/;
const currencyFirst = /^(?:[A-Z]{3}\b|[€£$₹]|Kč|Ft|zł)/;
const withUnit = /^[+\-−]?\d[\d.,]*\s*(\p{L}[\p{L}²³/.]{0,9}|°\p{L}?)$/u;
const clock = /\d:\d\d/;

/** The unit behind a number, such as `kg`. */
export const unitOf = (text: string): string | null => withUnit.exec(text)?.[1] ?? null;

/** A text taken apart into its number and what stands beside it. */
export function besideNumber(text: string): { readonly words: string; readonly number: string } {
  const number = /[+\-−]?\d[\d.,]*/.exec(text)?.[0] ?? '0';
  // The sign before a currency, or the brackets of accounts, belong to the number.
  const isLess = /^\(.*\)$|^[-−]\s*\D/.test(text) && !/^[+\-−]/.test(number);
  return {
    words: text
      .replace(number, '')
      .replace(/^[-+−(]|\)$/g, '')
      .trim(),
    number: isLess ? `-${number}` : number,
  };
}

/**
 * Begins with a letter that begins neither an address of the web nor the name of a currency, as most words and codes
 * do.
 */
function isPlainWord(code: number, text: string): boolean {
  if (code >= 97 && code <= 122) return code !== 104 && code !== 119 && code !== 122;
  if (code < 65 || code > 90 || code === 75 || code === 70) return false;
  const next = text.charCodeAt(1);
  return !(next >= 65 && next <= 90);
}

/**
 * The further ways a trimmed text can be read, which `readingsOf` found no number, day or yes or no in. What the sign
 * at its beginning or a sign within it rules out is not tried, so that texts of any other kind cost little.
 */
export function furtherReadingsOf(text: string): number {
  if (text.length > 254) return text.startsWith('http') && parseValue(text, { kind: 'url' }).ok ? further.url : 0;
  const code = text.charCodeAt(0);
  const digitFirst = code >= 48 && code <= 57;
  const signFirst = code === 43 || code === 45 || code === 0x2212 || code === 46;
  let bits = 0;
  if (isPlainWord(code, text)) return text.includes('@') && parseValue(text, { kind: 'email' }).ok ? further.email : 0;
  if ((digitFirst || signFirst) && text.endsWith('%')) {
    if (percent.test(text)) bits |= further.percent;
    return bits;
  }
  if (digitFirst && clock.test(text)) {
    if (text.length >= 10) {
      const tried = text.length <= 40;
      if (tried && readInstant(text, { ...plainReading, dateOrder: 'ymd' }).ok) bits |= further.instantYmd;
      if (tried && readInstant(text, { ...plainReading, dateOrder: 'dmy' }).ok) bits |= further.instantDmy;
      if (tried && readInstant(text, { ...plainReading, dateOrder: 'mdy' }).ok) bits |= further.instantMdy;
    } else if (readDuration(text).ok) bits |= further.duration;
    return bits;
  }
  const last = text.charCodeAt(text.length - 1);
  const digitLast = last >= 48 && last <= 57;
  // A number with words behind it does not end in a digit; one with words before it begins with those of a currency.
  if (digitFirst && digitLast && !text.includes(' ') && !text.includes('/') && !text.includes('-')) return 0;
  if (text.includes('@')) return parseValue(text, { kind: 'email' }).ok ? further.email : 0;
  if (text.startsWith('http') || text.startsWith('www.')) return parseValue(text, { kind: 'url' }).ok ? further.url : 0;
  if (!digitFirst && !signFirst && code !== 40 && !currencyFirst.test(text)) return 0;
  if ((digitFirst || signFirst) && !digitLast && unitOf(text) !== null) bits |= further.unit;
  if (text.length <= 40 && currency.test(text) && /\d/.test(text)) {
    const either = [',', '.'] as const;
    if (
      either.some(
        (decimal) => parseValue(text, { kind: 'money', currency: null, digits: 6 }, { ...plainReading, decimal }).ok,
      )
    )
      bits |= further.money;
  }
  if ((code === 43 || code === 40 || digitFirst) && text.length >= 7 && text.length <= 30 && isPhone(text))
    bits |= further.phone;
  return bits;
}

/** Written as a telephone number and as nothing else: with a leading + or groups of digits. */
const isPhone = (text: string): boolean =>
  /^(?:\+|\(?0)[\d ()/.-]+$/.test(text) &&
  text.replace(/\D/g, '').length >= 6 &&
  /[ ()/+-]/.test(text) &&
  !/^\d+[./-]\d+[./-]\d+$/.test(text);
