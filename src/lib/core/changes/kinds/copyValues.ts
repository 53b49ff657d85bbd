import { bad, good, type Result } from '../../base/problem';
import { findField, findTable, isToMany, linkedTable } from '../../model/model';
import type { Model } from '../../types/model';
import type { Field } from '../../types/field';
import type { CopyValues } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';

const isLink = (field: Field): boolean => field.type.kind === 'link' || isToMany(field);

function applyCopyValues(model: Model, change: CopyValues): Result<Model> {
  if (!findTable(model, change.table)) return bad('There is no such table.');
  const [from, to] = [findField(model, change.from), findField(model, change.to)];
  if (from?.table.id !== change.table || to?.table.id !== change.table) return bad('There is no such field.');
  if (isLink(to.field)) {
    const target = linkedTable(model, to.field);
    if (!isLink(from.field) && !target?.table.fields.some(({ id }) => id === change.match))
      return bad(
        `“${to.field.label}” points at a table without the field to compare with.`,
        'Choose a field of that table.',
      );
    return good(model);
  }
  return isLink(from.field) && to.field.type.kind === 'text'
    ? good(model)
    : bad(`“${from.field.label}” cannot fill “${to.field.label}”.`, 'Change its type instead.');
}

export const copyValues: ChangeDescriptor<CopyValues> = {
  apply: applyCopyValues,
  // The field that was filled goes with the change that made it.
  invert: () => [],
  subjects: ({ to }) => [to],
  words: ({ table, from, to }, { field, path }) => `${path(table, to)} filled from ${field(table, from)}`,
};
