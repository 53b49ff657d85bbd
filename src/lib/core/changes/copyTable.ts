import { readsAny } from '../flow/dependencies';
import type { FieldId } from '../types/identity';
import { fieldOf, isToMany } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';

/**
 * Fields that a copy of a table cannot have: the other sides of links that lead to the table, as no link leads to the
 * copy, and what is calculated from them, over any number of steps.
 */
export function leftOutOfCopy(model: Model, table: Table): readonly Field[] {
  const out = new Set<FieldId>();
  for (const field of table.fields)
    if (field.type.kind === 'counterpart' && !isToMany(field) && ownerOf(model, field.type.link) !== table.id)
      out.add(field.id);
  for (let before = -1; before < out.size;) {
    before = out.size;
    for (const field of table.fields)
      if (field.type.kind === 'formula' && readsAny(model, field.type.formula, out)) out.add(field.id);
  }
  return table.fields.filter(({ id }) => out.has(id));
}

const ownerOf = (model: Model, field: FieldId) => fieldOf(model, field).table.id;
