import type { Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import { fieldNamed, findField, findTable, isShown, isToMany, valueTypeOf } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import { groupSteps, isSortable } from './sortable';
import { sortSteps, type SortPart, type SortStep } from '../types/view';
import { bad, good, type Result } from '../base/problem';

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

/** A field by which records are put in an order: their own, or one of a record that links lead to. */
export interface OrderPath {
  readonly via: readonly Field[];
  readonly field: Field;
}

/** More links one after the other than anybody follows; each is a join. */
const mostLinks = 4;

/**
 * The field that `apiary.steward` names, each name but the last being a link to one record; null when there is none.
 */
export function orderPath(model: Model, table: Table, written: string): OrderPath | null {
  const names = written.split('.');
  if (names.length > mostLinks + 1) return null;
  const via: Field[] = [];
  let at = table;
  for (const name of names.slice(0, -1)) {
    const link = fieldNamed(at, name);
    const target = link?.type.kind === 'link' ? findTable(model, link.type.to) : undefined;
    if (!link || !target) return null;
    via.push(link);
    at = target;
  }
  const field = fieldNamed(at, names.at(-1) ?? '');
  return field ? { via, field } : null;
}

/** The field in a person's words: `Apiary › Steward`. */
export const pathLabel = ({ via, field }: OrderPath): string => [...via, field].map(({ label }) => label).join(' › ');

/** The fields people choose from for an order: those of the table, then those that each of its links leads to. */
export function orderPaths(
  model: Model,
  table: Table,
): readonly { readonly over: Field | null; readonly paths: readonly OrderPath[] }[] {
  const shown = table.fields.filter(isShown);
  return [
    { over: null, paths: shown.map((field) => ({ via: [], field })) },
    ...shown.flatMap((link) => {
      const target = link.type.kind === 'link' ? findTable(model, link.type.to) : undefined;
      return target
        ? [{ over: link, paths: target.fields.filter(isShown).map((field) => ({ via: [link], field })) }]
        : [];
    }),
  ];
}

/** A path as a part of an order, ascending. */
export const sortPartOf = ({ via, field }: OrderPath): SortPart => ({
  field: field.id,
  ...(via.length > 0 ? { via: via.map(({ id }) => id) } : {}),
  descending: false,
});

/** Whether two parts of an order are of one field, over the same links. */
export const isSamePath = (one: Pick<SortPart, 'field' | 'via'>, other: Pick<SortPart, 'field' | 'via'>): boolean =>
  one.field === other.field && (one.via ?? []).join() === (other.via ?? []).join();

/** Whether all that a part of an order names is there. */
export const isPathThere = (model: Model, { field, via = [] }: Pick<SortPart, 'field' | 'via'>): boolean =>
  [...via, field].every((id) => findField(model, id) !== undefined);

/** The field of a part of an order in a person's words; blank where it is gone. */
export function partLabel(model: Model, { field: id, via = [] }: Pick<SortPart, 'field' | 'via'>): string {
  const field = findField(model, id)?.field;
  return field ? pathLabel({ via: via.flatMap((link) => findField(model, link)?.field ?? []), field }) : '';
}

/** A path as `orderPath` reads it. */
export const pathKey = ({ via, field }: OrderPath): string => [...via, field].map(({ key }) => key).join('.');

/**
 * Reads `key,-key`: fields in order of weight, a minus for descending, over links with dots. `day:month` puts dates
 * together by months, `seen:each` a record under each of its several values.
 */
export function parseSort(model: Model, table: Table, written: string): Result<readonly SortPart[]> {
  const parts: SortPart[] = [];
  for (const one of written.split(',').filter((part) => part !== '')) {
    const descending = one.startsWith('-');
    const [name = '', step] = (descending ? one.slice(1) : one).split(':');
    const path = orderPath(model, table, name);
    if (!path || !(isSortable(path.field) || (isToMany(path.field) && step === 'each')))
      return bad(
        `${table.label} cannot be sorted by “${name}”.`,
        `Use one of ${table.fields
          .filter(isSortable)
          .map(({ key }) => key)
          .slice(0, 8)
          .join(', ')}.`,
      );
    const { field } = path;
    const part = { ...sortPartOf(path), descending };
    if (step === undefined) parts.push(part);
    else {
      const by = sortSteps.find((known) => known === step) ?? stepWidth(field, step);
      if (by === null || (typeof by === 'string' && !groupSteps(model, field).includes(by)))
        return bad(
          `${field.label} cannot be grouped by “${step}”.`,
          isNumber(field)
            ? 'Write how wide a step is, as in kg:5.'
            : `Use ${groupSteps(model, field).filter(Boolean).join(', ') || 'no step'}.`,
        );
      parts.push({ ...part, by });
    }
  }
  if (parts.filter(({ by }) => by === 'each').length > 1)
    return bad('Only one field with several values can put records together.', 'Leave “:each” at one of them.');
  return good(parts);
}

const isNumber = (field: Field): boolean => valueTypeOf(field).is === 'number';

/** How wide the steps are into which numbers are grouped; null where they cannot be. */
function stepWidth(field: Field, written: string): number | null {
  const width = Number(written);
  return isNumber(field) && /^[\d.]+$/.test(written) && width > 0 && width < 1e12 ? width : null;
}

/** Sort parts as `parseSort` reads them; fields that are gone are passed over. */
export function printSort(model: Model, table: Table, parts: readonly SortPart[]): string {
  return parts
    .flatMap(({ field, via = [], descending, by }) => {
      let at: Table | undefined = table;
      const keys = [...via, field].map((id) => {
        const found: Field | undefined = at?.fields.find((one) => one.id === id);
        at = found?.type.kind === 'link' ? findTable(model, found.type.to) : undefined;
        return found?.key;
      });
      return keys.includes(undefined)
        ? []
        : [`${descending ? '-' : ''}${keys.join('.')}${by === undefined ? '' : `:${by}`}`];
    })
    .join(',');
}

const words: Record<SortStep, string> = {
  day: 'by day',
  week: 'by week',
  month: 'by month',
  quarter: 'by quarter',
  year: 'by year',
  each: 'under each value',
};

/** The step of a sort part in a person's words, after the field's name. */
export const stepWords = (by: NonNullable<SortPart['by']>): string =>
  typeof by === 'number' ? `in steps of ${by}` : words[by];

export const encodeCursor = (cursor: Cursor): string =>
  btoa(encodeURIComponent(JSON.stringify([cursor.id, ...cursor.values])));

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
