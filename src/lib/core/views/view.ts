import type { ViewId } from '../types/identity';
import { isShown, typeAs, valueTypeOf } from '../model/model';
import type { Table } from '../types/model';
import { partsOf } from '../types/part';
import type { Field } from '../types/field';

import type { TotalKind, View } from '../types/view';

export const mostGroups = 3;

/** Every table has this view: all of it, unless it was saved otherwise. */
export const wholeView: ViewId = 'all';

/** The view that shows every field of every record. */
export const viewOfAll = (): View => ({
  id: wholeView,
  label: 'All records',
  kind: 'grid',
  columns: [],
  takesNew: true,
  frozen: 1,
  lines: 1,
  filter: null,
  sort: [],
  groups: [],
  colours: [],
});

/** The views that everybody has, of those that are written: the one of all records first unless it was put elsewhere. */
export const withWholeView = (written: readonly View[]): readonly View[] =>
  written.some(({ id }) => id === wholeView) ? written : [viewOfAll(), ...written];

export const sharedViews = (table: Table): readonly View[] => withWholeView(partsOf(table, 'view'));

export interface ShownColumn {
  readonly field: Field;
  readonly width?: number;
  readonly total?: TotalKind;
}

/** The columns a view shows, in order: the table's title leads unless the view puts it elsewhere. */
export function shownColumns(table: Table, { columns, takesNew }: Pick<View, 'columns' | 'takesNew'>): ShownColumn[] {
  const named = new Set(columns.map(({ field }) => field));
  const rest = table.fields
    .filter(({ id }) => !named.has(id))
    .sort((a, b) => Number(b.id === table.title) - Number(a.id === table.title));
  return [
    ...columns.flatMap(({ field: id, hidden, width, total }) => {
      const field = table.fields.find((one) => one.id === id);
      return field && !hidden ? [{ field, width, total }] : [];
    }),
    ...(takesNew || columns.length === 0 ? rest.map((field) => ({ field })) : []),
  ].filter(({ field }) => isShown(field));
}

/** The totals that make sense for a field. */
export function totalsFor(field: Field): readonly TotalKind[] {
  if (field.type.kind === 'counterpart') return [];
  switch (valueTypeOf(field).is) {
    case 'number':
    case 'duration':
      return ['sum', 'avg', 'min', 'max', 'filled', 'blank', 'distinct'];
    case 'date':
    case 'timestamp':
      return ['min', 'max', 'filled', 'blank', 'distinct'];
    case 'files':
    case 'money':
      return ['filled', 'blank'];
    default:
      return ['filled', 'blank', 'distinct'];
  }
}

/** Whether a board can have its columns by a field: its values are few and known beforehand, or records of a table. */
export const makesBoard = ({ type }: Field): boolean => ['option', 'yesNo', 'link', 'member'].includes(type.kind);

/** Whether a calendar can place records by a field. */
export const makesCalendar = (field: Field): boolean => ['date', 'timestamp'].includes(valueTypeOf(field).is);

/** The options of a board's field that are its columns. */
export const boardOptions = (field: Field) =>
  field.type.kind === 'option' ? typeAs(field, 'option').options.filter(({ retired }) => !retired) : [];
