import { bad, good, type Result } from '../../problem';
import type { TableId, ViewId } from '../identity';
import { findTable, tableOf } from '../model';
import type { Model, Table } from '../../types/model';
import { replaceTable } from '../replace';
import { mostGroups } from '../view';
import type { View } from '../../types/view';
import type { RemoveView, AddView } from '../../types/change';

export function applyAddView(model: Model, { table: id, view, at }: AddView): Result<Model> {
  const table = findTable(model, id);
  if (!table) return bad('There is no such table.');
  if (table.views?.some((other) => other.id === view.id)) return bad('This view exists already.');
  const checked = checkView(table, view);
  return checked.ok ? good(withViews(model, table, (table.views ?? []).toSpliced(at, 0, view))) : checked;
}

export const invertAddView = (_: Model, { table, view }: AddView): RemoveView => ({
  do: 'removeView',
  table,
  view: view.id,
});

/** Whether a view can stand among the others. Fields that it names may go later; a view passes over what is gone. */
export function checkView(table: Table, view: View): Result<true> {
  if (view.label.trim() === '') return bad('The view has no name.', 'Write what people will read.', '/label');
  if (table.views?.some(({ id, label }) => id !== view.id && label.toLowerCase() === view.label.toLowerCase()))
    return bad(`${table.label} has a view called “${view.label}” already.`, 'Choose another name.', '/label');
  if (view.groups.length > mostGroups)
    return bad('Records can be grouped by three fields at most.', 'Take one away.', '/groups');
  return good(true);
}

/** The table with these views; one without any has none written. */
export function withViews(model: Model, { views: _, ...table }: Table, views: readonly View[]): Model {
  return replaceTable(model, views.length > 0 ? { ...table, views } : table);
}

/** A view of a table; a missing one is a fault of the caller. */
export function viewOf(model: Model, table: TableId, id: ViewId): View {
  const found = tableOf(model, table).views?.find((view) => view.id === id);
  if (!found) throw new Error(`no view ${id} in the model`);
  return found;
}
