import type { Expression } from '../formula/expression';
import type { FieldId } from '../model/identity';
import { fieldNamed, isToMany, type Model, type Table } from '../model/model';
import { groupSteps, isSortable, sortSteps, type SortPart, type SortStep } from '../model/view';
import { bad, good, type Result } from '../problem';

/** What is asked of a table: which fields of which records, in which order, and which stretch of them. */
export interface RecordQuery {
  readonly fields: readonly FieldId[];
  readonly filter: Expression | null;
  /** Ties go by `_id`, so every order is total. */
  readonly sort: readonly SortPart[];
  readonly limit: number;
  /** Where the stretch begins: behind the record these sort values and this `_id` belong to. */
  readonly after: Cursor | null;
  /** Records passed over behind that place; few, as they are read. */
  readonly skip?: number;
  /** Conditions of which each record says the first that it meets. */
  readonly marks?: readonly Expression[];
  /** Only records that a field of theirs links with one record, by identity. */
  readonly of?: LinkedWith | null;
}

/** A record that others are linked with, and their field by which they are. */
export interface LinkedWith {
  readonly field: FieldId;
  readonly id: number;
}

export interface Cursor {
  readonly values: readonly (string | number | boolean | null)[];
  readonly id: number;
}

/**
 * Reads `key,-key`: fields in order of weight, a minus for descending. `day:month` puts dates together by months,
 * `seen:each` a record under each of its several values.
 */
export function parseSort(model: Model, table: Table, written: string): Result<readonly SortPart[]> {
  const parts: SortPart[] = [];
  for (const one of written.split(',').filter((part) => part !== '')) {
    const descending = one.startsWith('-');
    const [name = '', step] = (descending ? one.slice(1) : one).split(':');
    const field = fieldNamed(table, name);
    if (!field || !(isSortable(field) || (isToMany(field) && step === 'each')))
      return bad(
        `${table.label} cannot be sorted by “${name}”.`,
        `Use one of ${table.fields
          .filter(isSortable)
          .map(({ key }) => key)
          .slice(0, 8)
          .join(', ')}.`,
      );
    if (step === undefined) parts.push({ field: field.id, descending });
    else {
      const by = sortSteps.find((known) => known === step);
      if (!by || !groupSteps(model, field).includes(by))
        return bad(`${field.label} cannot be grouped by “${step}”.`, `Use ${groupSteps(model, field).filter(Boolean).join(', ') || 'no step'}.`);
      parts.push({ field: field.id, descending, by });
    }
  }
  if (parts.filter(({ by }) => by === 'each').length > 1)
    return bad('Only one field with several values can put records together.', 'Leave “:each” at one of them.');
  return good(parts);
}

/** Sort parts as `parseSort` reads them; fields that are gone are passed over. */
export function printSort(table: Table, parts: readonly SortPart[]): string {
  return parts
    .flatMap(({ field: id, descending, by }) => {
      const field = table.fields.find((one) => one.id === id);
      return field ? [`${descending ? '-' : ''}${field.key}${by ? `:${by}` : ''}`] : [];
    })
    .join(',');
}

/** The step of a sort part in a person's words, after the field's name. */
export const stepWords: Record<SortStep, string> = {
  day: 'by day',
  week: 'by week',
  month: 'by month',
  quarter: 'by quarter',
  year: 'by year',
  each: 'under each value',
};

export const encodeCursor = (cursor: Cursor): string => btoa(encodeURIComponent(JSON.stringify([cursor.id, ...cursor.values])));

export function decodeCursor(written: string): Result<Cursor> {
  try {
    const [id, ...values] = JSON.parse(decodeURIComponent(atob(written))) as unknown[];
    const plain = values.every((value) => value === null || ['string', 'number', 'boolean'].includes(typeof value));
    if (Number.isSafeInteger(id) && plain) return good({ id: id as number, values: values as Cursor['values'] });
  } catch {
    // Falls through to the one refusal.
  }
  return bad('This is no place in the list.', 'Use `next` of the page before, with the same sort.');
}
