import { bad, type Result, good } from '../../problem';
import { findTable, tableOf } from '../model';
import type { Model } from '../../types/model';
import { checkView, viewOf, withViews } from './addView';
import type { ChangeView } from '../../types/change';

export function applyChangeView(model: Model, { table: id, view, at }: ChangeView): Result<Model> {
  const table = findTable(model, id);
  const views = table?.views ?? [];
  const place = views.findIndex((other) => other.id === view.id);
  if (!table || place < 0) return bad('There is no such view.');
  const checked = checkView(table, view);
  return checked.ok
    ? good(withViews(model, table, views.toSpliced(place, 1).toSpliced(at ?? place, 0, view)))
    : checked;
}

export const invertChangeView = (model: Model, { table, view }: ChangeView): ChangeView => ({
  do: 'changeView',
  table,
  view: viewOf(model, table, view.id),
  at: tableOf(model, table).views?.findIndex(({ id }) => id === view.id) ?? 0,
});
