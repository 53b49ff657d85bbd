import { fieldNamed } from '$core/model/model';
import type { Table } from '$core/types/model';
import { shownColumns } from '$core/views/view';
import type { TotalKind, View } from '$core/types/view';
import type { ViewJson } from '$core/views/viewJson';

/** What a person does to one column of a view. */
export type ColumnChange =
  | { readonly do: 'width'; readonly field: string; readonly width: number | null }
  | { readonly do: 'move'; readonly field: string; readonly to: number }
  | { readonly do: 'hide' | 'show'; readonly field: string }
  | { readonly do: 'total'; readonly field: string; readonly total: TotalKind | null };

type Columns = ViewJson['columns'];

/** Every field of the table as a column, those that the view does not name where it shows them. */
function allColumns(table: Table, view: View, written: Columns): Columns {
  const shown = shownColumns(table, view).map(({ field, width, total }) => ({
    field: field.key,
    ...(width ? { width } : {}),
    ...(total ? { total } : {}),
  }));
  const named = new Set(shown.map(({ field }) => field));
  const rest = [...written.map(({ field }) => field), ...table.fields.filter(({ off }) => !off).map(({ key }) => key)];
  const hidden = [...new Set(rest)].filter((key) => !named.has(key));
  return [...shown, ...hidden.map((field) => ({ field, hidden: true as const }))];
}

/** The columns of a view after one of them changed. */
export function changedColumns(table: Table, view: View, written: Columns, change: ColumnChange): Columns {
  const columns = allColumns(table, view, written);
  const at = columns.findIndex(({ field }) => field === change.field);
  const column = columns[at];
  if (!column || !fieldNamed(table, change.field)) return columns;
  const { width, total } = column;
  const columnWith = (parts: {
    hidden?: boolean;
    width?: number | null;
    total?: TotalKind | null;
  }): Columns[number] => ({
    field: column.field,
    ...(parts.hidden ? { hidden: true as const } : {}),
    ...(parts.width ? { width: parts.width } : {}),
    ...(parts.total ? { total: parts.total } : {}),
  });
  switch (change.do) {
    case 'width':
      return columns.with(at, columnWith({ width: change.width, total }));
    case 'total':
      return columns.with(at, columnWith({ width, total: change.total }));
    case 'hide':
      return columns.with(at, columnWith({ hidden: true, width, total }));
    case 'show': {
      const shown = columns.filter(({ hidden }) => !hidden).length;
      return columns.toSpliced(at, 1).toSpliced(at < shown ? at : shown, 0, columnWith({ width, total }));
    }
    case 'move': {
      const shown = columns.filter(({ hidden }) => !hidden).length;
      return columns.toSpliced(at, 1).toSpliced(Math.max(0, Math.min(shown - 1, change.to)), 0, column);
    }
  }
}
