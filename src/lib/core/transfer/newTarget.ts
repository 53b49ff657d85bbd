import { applyChanges } from '../changes/change';
import { fieldOf, tableOf } from '../model/model';
import type { Change } from '../types/change';
import type { TableId } from '../types/identity';
import type { Model } from '../types/model';
import { linkLike, Making } from './newFields';

/**
 * Links to a new table beside those to the one that it is like, so that what points at records which go there can point
 * at them still. Links that must be filled get none, as they cannot become blank. `make` has made the table.
 */
export function linksToNew(model: Model, make: readonly Change[], from: TableId, to: TableId): Change[] {
  const made = applyChanges(model, make);
  if (!made.ok) return [];
  const making = new Making(made.value.model);
  const { label } = tableOf(making.model, to);
  for (const { type } of tableOf(model, from).fields) {
    if (type.kind !== 'counterpart' || type.over !== undefined) continue;
    const { field: link, table: owner } = fieldOf(model, type.link);
    if (owner.pairs || owner.id === from || link.required === true) continue;
    const at = tableOf(making.model, owner.id).fields.findIndex(({ id }) => id === link.id) + 1;
    making.add(...linkLike(making.model, owner.id, link, to, { label: `${link.label} (${label})`, at }).changes);
  }
  return making.changes;
}
