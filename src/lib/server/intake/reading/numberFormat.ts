import { currencies } from '$core/fieldTypes/money';
import { canonicalNumber, Exact } from '$core/fieldTypes/number';

/** What a number in a workbook means by the format it is shown in. */
export type NumberMeaning =
  | { readonly kind: 'number' }
  /** Whole numbers with zeros before them, as of postal codes: so many digits at least. */
  | { readonly kind: 'padded'; readonly digits: number }
  | { readonly kind: 'percent' }
  | { readonly kind: 'money'; readonly currency: string }
  | { readonly kind: 'date' }
  | { readonly kind: 'dateTime' }
  | { readonly kind: 'time' }
  /** Hours beyond a day, such as 26:30. */
  | { readonly kind: 'duration' };

const builtIn: Readonly<
  Record<number, NumberMeaning['kind'] & ('percent' | 'date' | 'dateTime' | 'time' | 'duration')>
> = {
  9: 'percent',
  10: 'percent',
  ...Object.fromEntries(
    [
      14,
      15,
      16,
      17,
      ...Array.from({ length: 10 }, (_, i) => 27 + i),
      ...Array.from({ length: 9 }, (_, i) => 50 + i),
    ].map((id) => [id, 'date']),
  ),
  ...Object.fromEntries([18, 19, 20, 21, 45, 47].map((id) => [id, 'time'])),
  22: 'dateTime',
  46: 'duration',
};

const signs = new Map(
  Object.entries(currencies).flatMap(([code, sign]) => (sign === '' ? [] : [[sign, code] as const])),
);

/** The meaning of a format, by its number (ECMA-376 part 1, 18.8.30) or its code. */
export function meaningOf(id: number, code: string | undefined): NumberMeaning {
  const known = builtIn[id];
  if (known) return { kind: known };
  if (code === undefined) return { kind: 'number' };
  const currency = currencyIn(code);
  // The first section is that of positive numbers; texts in it, colours and conditions say nothing.
  const section = (code.split(';')[0] ?? '').replace(/"[^"]*"|\\.|_.|\*./g, '');
  if (/\[(?:h+|m+|s+)\]/i.test(section)) return { kind: 'duration' };
  const bare = section.replace(/\[[^\]]*\]/g, '').toLowerCase();
  if (bare.includes('%')) return { kind: 'percent' };
  if (/^0{2,}$/.test(bare)) return { kind: 'padded', digits: bare.length };
  const hours = /[hs]/.test(bare);
  if (/[dy]/.test(bare) || (bare.includes('m') && !hours && !/[0#?]/.test(bare)))
    return { kind: hours ? 'dateTime' : 'date' };
  if (hours && !/[0#?](?!0*$)/.test(bare.replace(/\.0+/, ''))) return { kind: 'time' };
  return currency ? { kind: 'money', currency } : { kind: 'number' };
}

/** The currency a format names by its code or by a sign that is unmistakable. */
function currencyIn(code: string): string | null {
  const marked = /\[\$([^\]-]+)/.exec(code)?.[1]?.trim();
  const written = [
    marked,
    ...[...code.matchAll(/"([^"]*)"/g)].map(([, text]) => text?.trim()),
    ...[...code].filter((sign) => signs.has(sign)),
  ];
  for (const one of written) {
    if (one && /^[A-Z]{3}$/.test(one) && one in currencies) return one;
    const bySign = one && signs.get(one);
    if (bySign) return bySign;
  }
  return null;
}

/** More significant digits than these no binary number of 64 bits tells apart. */
const mostDigits = 17;
const significant = (text: string): number => text.replace(/^-?0*\.?0*|\.|[eE].*$/g, '').length;

/**
 * A number as the file writes it, without exponent and without the digits that binary numbers add: `124.05000000000001`
 * stands for 124.05, as the spreadsheet itself shows. What has more digits than a binary number was written by a
 * program that meant each of them.
 */
export function plainNumber(written: string): string {
  if (/^-?(?:0|[1-9]\d*)$/.test(written)) return written;
  const number = Number(written);
  if (!Number.isFinite(number)) return written;
  if (/^-?\d+\.\d+$/.test(written) && significant(written) > mostDigits) return canonicalNumber(new Exact(written));
  const shortest = nearestShown(number);
  return shortest.includes('e') ? canonicalNumber(new Exact(shortest)) : shortest === '-0' ? '0' : shortest;
}

/**
 * The number with 15 digits, as spreadsheets show it, where that spares at least three that only noise has put there.
 */
function nearestShown(number: number): string {
  const [exact, shown] = [String(number), String(Number(number.toPrecision(15)))];
  return significant(exact) - significant(shown) >= 3 ? shown : exact;
}

const two = (n: number) => String(n).padStart(2, '0');
const clock = (seconds: number) =>
  `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}${seconds % 60 === 0 ? '' : `:${two(seconds % 60)}`}`;

/**
 * The text of a number with its meaning. Days are counted from 1900 with the 29 February 1900 that never was, or from
 * 1904; times are rounded to seconds, as binary fractions of a day are never exact.
 */
export function numberText(written: string, meaning: NumberMeaning, from1904: boolean): string {
  switch (meaning.kind) {
    case 'number':
      return plainNumber(written);
    case 'padded':
      return plainNumber(written).replace(
        /^(-?)(\d+)$/,
        (_, sign: string, digits: string) => sign + digits.padStart(meaning.digits, '0'),
      );
    case 'percent':
      return `${canonicalNumber(new Exact(plainNumber(written)).times(100))} %`;
    case 'money':
      return `${plainNumber(written)} ${meaning.currency}`;
    default:
      break;
  }
  const serial = Number(written);
  if (!Number.isFinite(serial) || serial < 0 || serial > 2_958_466) return plainNumber(written);
  const seconds = Math.round(serial * 86_400);
  if (meaning.kind === 'duration') return clock(seconds);
  const [day, time] = [Math.floor(seconds / 86_400), seconds % 86_400];
  if (meaning.kind === 'time' && day === 0) return clock(time);
  // The day that never was stays what the sheet shows.
  if (day === 60 && !from1904) return meaning.kind === 'date' ? '1900-02-29' : `1900-02-29 ${clock(time)}`;
  const epoch = from1904 ? Date.UTC(1904, 0, 1) : Date.UTC(1899, 11, day < 60 ? 31 : 30);
  const date = new Date(epoch + day * 86_400_000).toISOString().slice(0, 10);
  return meaning.kind === 'date' ? date : `${date} ${clock(time)}`;
}

/**
 * A day or an instant in ISO 8601 as people write it: midnight alone is a day, and seconds are told where there are
 * any.
 */
export function isoText(written: string): string {
  const found = /^(\d{4}-\d\d-\d\d)(?:T(\d\d:\d\d)(?::(\d\d)(?:\.\d+)?)?Z?)?$/.exec(written);
  if (!found) return written;
  const [, day = '', time = '00:00', seconds = '00'] = found;
  return `${day}${time === '00:00' && seconds === '00' ? '' : ` ${time}${seconds === '00' ? '' : `:${seconds}`}`}`;
}
