import { numberText } from '$core/fieldTypes/numberText';

/** A mean with so many decimals. */
export const meanText = (value: number, digits: number): string => numberText(value.toFixed(digits), digits);

/** Decimals as a form holds them, blank where they are as entered. */
export const digitsOf = (digits: string): number | null => (digits === '' ? null : Number(digits));
export const digitsIn = (digits: number | null): string => (digits === null ? '' : String(digits));

/**
 * A lone comma before one, two or more than three digits can only be a decimal one; before three it may part thousands,
 * so it stays.
 */
export const withPoint = (text: string): string =>
  /^[+-]?\d+,(\d{1,2}|\d{4,})(\D.*)?$/.test(text) ? text.replace(',', '.') : text;

/** How many decimals, in words. */
export const decimalWords = (digits: number | null): string | undefined =>
  digits === null ? undefined : digits === 0 ? 'whole' : digits === 1 ? '1 decimal' : `${digits} decimals`;
