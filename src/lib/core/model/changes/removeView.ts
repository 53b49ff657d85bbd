import { bad, good, type Result } from '../../problem';
import { findTable, tableOf } from '../model';
import type { Model } from '../../types/model';
import { viewOf, withViews } from './addView';
import type { AddView, RemoveView } from '../../types/change';

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
