import { bad, good, type Result } from '../../problem';
import type { TableId, ViewId } from '../identity';
import { findTable, tableOf, type Model } from '../model';
import { viewOf, withViews, type AddView } from './addView';

/** Takes a view away; records are not looked at. */
export interface RemoveView {
  readonly do: 'removeView';
  readonly table: TableId;
  readonly view: ViewId;
}

export function applyRemoveView(model: Model, { table: id, view }: RemoveView): Result<Model> {
  const table = findTable(model, id);
  if (!table?.views?.some((other) => other.id === view)) return bad('There is no such view.');
  return good(
    withViews(
      model,
      table,
      table.views.filter((other) => other.id !== view),
    ),
  );
}

export const invertRemoveView = (model: Model, { table, view }: RemoveView): AddView => ({
  do: 'addView',
  table,
  view: viewOf(model, table, view),
  at: tableOf(model, table).views?.findIndex(({ id }) => id === view) ?? 0,
});
