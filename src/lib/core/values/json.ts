import type { Scalar } from '../formula/expression';
import type { FieldType } from '../types/field';
import { isoDuration } from './duration';
import { filesOf } from './files';
import { moneyParts } from './money';
import { canonicalNumber, Exact } from './number';
import { optionLabels } from './options';
import { placeOf } from './place';

/** A number with all its digits: as a JSON number where that says exactly the same, otherwise as numeric text. */
export function numberJson(text: string): number | string {
  const canonical = canonicalNumber(new Exact(text));
  return String(Number(canonical)) === canonical ? Number(canonical) : canonical;
}

/**
 * A value as programs get it: options by label, instants as RFC 3339, durations as ISO 8601, links as `{id, title}` and
 * people as `{id, name}`, whose words come as `title`.
 */
export function valueJson(type: FieldType, value: Scalar, title: unknown = null): unknown {
  if (value === null) return null;
  switch (type.kind) {
    case 'number':
    case 'percent':
    case 'rating':
    case 'progress':
      return numberJson(String(value));
    case 'money': {
      if (type.currency !== null) return numberJson(String(value));
      const { amount, currency } = moneyParts(value);
      return { amount: numberJson(amount), currency };
    }
    case 'option':
      return type.options.find(({ id }) => id === value)?.label ?? value;
    case 'options':
      return optionLabels(value, type);
    case 'duration':
      return isoDuration(value);
    case 'link':
      return { id: value, title: title ?? `#${String(value)}` };
    case 'member':
    case 'createdBy':
    case 'changedBy':
      return { id: value, name: title ?? `#${String(value)}` };
    case 'place': {
      const { address, latitude, longitude } = placeOf(value);
      return {
        address,
        latitude: latitude === null ? null : numberJson(latitude),
        longitude: longitude === null ? null : numberJson(longitude),
      };
    }
    case 'files':
    case 'pictures':
      return filesOf(value);
    default:
      return value;
  }
}

/** The words of one JSON value of a record: titles, names, labels. */
export function wordsOf(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (Array.isArray(value)) return value.map(wordsOf).join('; ');
  if (typeof value !== 'object') return String(value);
  const { title, name, count, amount, currency, address, latitude, longitude } = value as Record<string, unknown>;
  if (title !== undefined) return String(title);
  if (name !== undefined) return String(name);
  if (count !== undefined) return String(count);
  if (amount !== undefined) return `${String(amount)} ${String(currency)}`;
  const point = latitude == null ? '' : `${String(latitude)}, ${String(longitude)}`;
  return address == null ? point : point === '' ? String(address) : `${String(address)} (${point})`;
}
