import type Decimal from 'decimal.js';
import { Exact } from '../../fieldTypes/number';
import type { Scalar } from '../../types/expression';
import type { FunctionDefinition } from './definition';
import { roundTo } from './numbers';

const mostDecimals = 30;

/** So many decimals, at least so many digits before them, with commas between thousands or without. */
function numberText(value: Decimal, decimals: number, least: number, grouped: boolean): string {
  const rounded = roundTo(value, decimals);
  const [whole = '0', fraction] = rounded.abs().toFixed(decimals).split('.');
  const digits =
    whole.length < least ? whole.padStart(least, '0') : least === 0 && whole === '0' && decimals > 0 ? '' : whole;
  const shown = grouped ? digits.replace(/\B(?=(?:\d{3})+$)/g, ',') : digits;
  return `${rounded.lt(0) ? '-' : ''}${shown}${decimals > 0 ? `.${fraction ?? ''}` : ''}`;
}

const numberPattern = /^([^#0,.%]*)([#0,]+)(\.(0{1,30}))?(%?)([^#0,.%]*)$/u;

/** A number by a pattern of `0 # , . %`; null when the pattern is none. */
function numberByPattern(value: Decimal, pattern: string): string | null {
  const found = numberPattern.exec(pattern);
  if (!found) return null;
  const [, before = '', whole = '', , decimals = '', percent = '', behind = ''] = found;
  const least = whole.replace(/[#,]/g, '').length;
  return (
    before +
    numberText(percent === '%' ? value.times(100) : value, decimals.length, least, whole.includes(',')) +
    percent +
    behind
  );
}

const dayParts: Record<string, (iso: string) => string> = {
  yyyy: (iso) => iso.slice(0, 4),
  yy: (iso) => iso.slice(2, 4),
  mm: (iso) => iso.slice(5, 7),
  m: (iso) => String(Number(iso.slice(5, 7))),
  dd: (iso) => iso.slice(8, 10),
  d: (iso) => String(Number(iso.slice(8, 10))),
};

/** A day by a pattern of `yyyy yy mm m dd d`; all else stands as it is. */
const dateByPattern = (iso: string, pattern: string): string =>
  pattern.replace(/yyyy|yy|mm|m|dd|d/gi, (part) => dayParts[part.toLowerCase()]?.(iso) ?? part);

const places = (value: Scalar | undefined) =>
  Exact.max(0, Exact.min(mostDecimals, new Exact(String(value)).trunc())).toNumber();

export const formats: readonly FunctionDefinition[] = [
  {
    name: 'text',
    family: 'text',
    usage: "text(x, '0.00')",
    help: 'A number or a day by a pattern: 0 a digit always, # one that may be, a comma for thousands, % for hundredths; yyyy, mm, dd for days.',
    signatures: [
      { takes: ['number', 'text'], gives: 'text' },
      { takes: ['date', 'text'], gives: 'text' },
    ],
    blanks: 'spreads',
    mayBlank: 'the pattern says no number',
    evaluate: ([x, pattern], _, types) =>
      types[0]?.is === 'date'
        ? dateByPattern(String(x), String(pattern))
        : numberByPattern(new Exact(String(x)), String(pattern)),
    sql: ([x, pattern], _, types) =>
      types[0]?.is === 'date' ? `loom.date_by_pattern(${x}, ${pattern})` : `loom.number_by_pattern(${x}, ${pattern})`,
    examples: [
      ["text(1234.5, '#,##0.00')", '1,234.50'],
      ["text(0.125, '0.0%')", '12.5%'],
      ["text(7, '000')", '007'],
      ["text(date '2026-05-06', 'd.m.yyyy')", '6.5.2026'],
    ],
  },
  {
    name: 'fixed',
    family: 'text',
    usage: 'fixed(x, places, plain)',
    help: 'A number as text with so many decimals (2) and commas between thousands; without commas when plain is true.',
    signatures: [{ takes: ['number', 'number', 'boolean'], optional: 2, gives: 'text' }],
    blanks: 'spreads',
    evaluate: ([x, decimals, plain]) =>
      numberText(new Exact(String(x)), decimals === undefined ? 2 : places(decimals), 1, plain !== true),
    sql: ([x, decimals, plain]) =>
      `loom.number_text(${x}, ${decimals === undefined ? '2' : `loom.not_below_zero(loom.clamp(${decimals}, ${mostDecimals}))`}, 1, ${plain === undefined ? 'true' : `not ${plain}`})`,
    examples: [
      ['fixed(1234.567)', '1,234.57'],
      ['fixed(1234.567, 1, true)', '1234.6'],
    ],
  },
];
