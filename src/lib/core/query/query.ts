import type { Expression } from '../formula/expression';
import type { FieldId } from '../model/identity';
import { fieldNamed, type Table } from '../model/model';
import { bad, good, type Result } from '../problem';

export interface SortPart {
  readonly field: FieldId;
  readonly descending: boolean;
}

/** What is asked of a table: which fields of which records, in which order, and which stretch of them. */
export interface RecordQuery {
  readonly fields: readonly FieldId[];
  readonly filter: Expression | null;
  /** Ties go by `_id`, so every order is total. */
  readonly sort: readonly SortPart[];
  readonly limit: number;
  /** Where the stretch begins: behind the record these sort values and this `_id` belong to. */
  readonly after: Cursor | null;
}

export interface Cursor {
  readonly values: readonly (string | number | boolean | null)[];
  readonly id: number;
}

/** Reads `key,-key`: fields in order of weight, a minus for descending. */
export function parseSort(table: Table, written: string): Result<readonly SortPart[]> {
  const parts: SortPart[] = [];
  for (const name of written.split(',').filter((part) => part !== '')) {
    const descending = name.startsWith('-');
    const field = fieldNamed(table, descending ? name.slice(1) : name);
    if (!field || field.type.kind === 'counterpart')
      return bad(
        `${table.label} cannot be sorted by “${name}”.`,
        `Use one of ${table.fields
          .map(({ key }) => key)
          .slice(0, 8)
          .join(', ')}.`,
      );
    parts.push({ field: field.id, descending });
  }
  return good(parts);
}

export const encodeCursor = (cursor: Cursor): string => btoa(encodeURIComponent(JSON.stringify([cursor.id, ...cursor.values])));

export function decodeCursor(written: string, sorts: number): Result<Cursor> {
  try {
    const [id, ...values] = JSON.parse(decodeURIComponent(atob(written))) as unknown[];
    const plain = values.every((value) => value === null || ['string', 'number', 'boolean'].includes(typeof value));
    if (Number.isSafeInteger(id) && values.length === sorts && plain) return good({ id: id as number, values: values as Cursor['values'] });
  } catch {
    // Falls through to the one refusal.
  }
  return bad('This is no place in the list.', 'Use `next` of the page before, with the same sort.');
}
