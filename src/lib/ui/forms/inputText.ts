import type { FieldType } from '$core/types/field';
import { editText } from '../values/show';

/**
 * What a plain input shows of a value, or of what was written in it: days and times as browsers write them, a share
 * without its sign.
 */
export function inputText(value: unknown, type: FieldType, zone: string): string {
  const text = isWritten(value, type) ? value : editText(value, type, zone);
  if (type.kind === 'dateTime') return text.replace(' ', 'T').slice(0, 16);
  return type.kind === 'percent' || type.kind === 'progress' ? text.replace(/\s*%$/, '') : text;
}

/** Whether it comes from `writtenValue`: shares as programs get them have no sign, and instants end in their zone. */
const isWritten = (value: unknown, { kind }: FieldType): value is string =>
  typeof value === 'string' &&
  (kind === 'dateTime' ? !value.endsWith('Z') : (kind === 'percent' || kind === 'progress') && value.endsWith('%'));

/**
 * What was written as programs send it; blank is null. A share is meant in hundredths, and a decimal comma is a point.
 */
export function writtenValue(text: string, type: FieldType): unknown {
  const trimmed = text.trim();
  if (trimmed === '') return null;
  switch (type.kind) {
    case 'dateTime':
      return trimmed.replace('T', ' ');
    case 'percent':
    case 'progress':
      return `${withPoint(trimmed.replace(/\s*%$/, ''))} %`;
    case 'number':
      return withPoint(trimmed);
    case 'money':
      return withPoint(trimmed);
    default:
      return text;
  }
}

/**
 * A lone comma before one, two or more than three digits can only be a decimal one; before three it may part thousands,
 * so it stays.
 */
const withPoint = (text: string): string =>
  /^[+-]?\d+,(\d{1,2}|\d{4,})(\D.*)?$/.test(text) ? text.replace(',', '.') : text;

/** How a browser helps to write a value: the kind of its input, the keys of its screen, what it knows of the person. */
export function inputKind(type: FieldType): {
  readonly type: 'text' | 'date' | 'datetime-local' | 'email' | 'url' | 'tel';
  readonly inputmode?: 'decimal';
  readonly autocomplete?: 'email' | 'tel';
} {
  switch (type.kind) {
    case 'date':
      return { type: 'date' };
    case 'dateTime':
      return { type: 'datetime-local' };
    case 'email':
      return { type: 'email', autocomplete: 'email' };
    case 'url':
      return { type: 'url' };
    case 'phone':
      return { type: 'tel', autocomplete: 'tel' };
    case 'number':
    case 'percent':
    case 'progress':
      return { type: 'text', inputmode: 'decimal' };
    case 'money':
      return type.currency === null ? { type: 'text' } : { type: 'text', inputmode: 'decimal' };
    default:
      return { type: 'text' };
  }
}

/** What stands behind the input: the unit of its number. */
export function unitOf(type: FieldType): string {
  if (type.kind === 'percent' || type.kind === 'progress') return '%';
  if (type.kind === 'number') return type.unit ?? '';
  return type.kind === 'money' ? (type.currency ?? '') : '';
}
