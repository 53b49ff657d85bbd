import { dependentsOf, needs } from '../../parts/dependents';
import { goesTo } from '../../parts/impact';
import { bad, good, type Result } from '../../base/problem';
import { findField, fieldOf, isSystem, tableOf } from '../../model/model';
import type { Model } from '../../types/model';
import { replaceTable } from '../../model/replace';
import type { AddField, ChangeTable, RemoveField } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';

function applyRemoveField(model: Model, change: RemoveField): Result<Model> {
  const found = findField(model, change.field);
  if (!found || found.table.id !== change.table) return bad('There is no such field.');
  const { field } = found;
  if (isSystem(field))
    return bad(`“${field.label}” is kept by the system itself.`, 'Switch it off: it is then hidden everywhere.');
  if (field.type.kind === 'counterpart') return bad(`“${field.label}” is a reverse link.`, 'Remove the link itself.');
  const gone = field.type.kind === 'link' ? [field.id, field.type.counterpart] : [field.id];
  // What the field itself has written goes with it.
  const users = gone
    .flatMap((id) => dependentsOf(model, id))
    .filter((user) => needs(user) && !('field' in user && gone.includes(user.field.id)));
  if (users.length > 0) {
    const direct = new Set(users.map(({ words }) => words));
    const further = new Set(gone.flatMap((id) => goesTo(model, id)).map(({ words }) => words)).size - direct.size;
    const through = further > 0 ? `, and through these by ${further} more` : '';
    return bad(`“${field.label}” is used by ${[...direct].join(', ')}${through}.`, 'Change or remove those first.');
  }
  let changed = model;
  for (const id of gone) {
    const owner = fieldOf(changed, id).table;
    changed = replaceTable(changed, {
      ...owner,
      title: owner.title === id ? null : owner.title,
      fields: owner.fields.filter((other) => other.id !== id),
    });
  }
  return good(changed);
}

function invertRemoveField(model: Model, change: RemoveField): AddField {
  const { field, table } = fieldOf(model, change.field);
  const at = table.fields.indexOf(field);
  if (field.type.kind !== 'link') return { do: 'addField', table: table.id, field, at };
  const other = fieldOf(model, field.type.counterpart);
  // On a table linked to itself the link is put back first, so the counterpart finds its old place.
  const otherAt = other.table.fields.indexOf(other.field);
  const shifted = other.table.id === table.id && otherAt < at ? at - 1 : at;
  return { do: 'addField', table: table.id, field, at: shifted, counterpart: { field: other.field, at: otherAt } };
}

/** A title field that comes back from the bin becomes the title again. */
function titleAgain(model: Model, { table: id, field }: RemoveField): ChangeTable[] {
  const table = tableOf(model, id);
  return table.title === field ? [{ do: 'changeTable', table: table.id, set: { title: field } }] : [];
}

export const removeField: ChangeDescriptor<RemoveField> = {
  apply: applyRemoveField,
  invert: (model, change) => [invertRemoveField(model, change), ...titleAgain(model, change)],
  subjects: ({ field }) => [field],
  words: ({ table, field }, { path }) => `field ${path(table, field)} to the bin`,
};
