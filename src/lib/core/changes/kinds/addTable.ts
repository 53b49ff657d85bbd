import { bad, good, type Result } from '../../base/problem';
import { findTable } from '../../model/model';
import type { Model } from '../../types/model';
import { checkFields, checkTableNames } from '../../model/names/naming';
import { checkFieldType } from '../../model/wellMade';
import type { RemoveTable, AddTable } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';

function applyAddTable(model: Model, change: AddTable): Result<Model> {
  const { table, at } = change;
  if (findTable(model, table.id)) return bad('This table exists already.', 'Give the new one another identity.');
  const named = checkTableNames(model, table);
  if (!named.ok) return named;
  const linked = table.fields.find((field) => ['link', 'counterpart', 'formula'].includes(field.type.kind));
  if (linked)
    return bad(`“${linked.label}” cannot be made together with its table.`, 'Add it as a change after the table.');
  const fields = checkFields(table.fields);
  if (!fields.ok) return fields;
  for (const field of table.fields) {
    const wellMade = checkFieldType(field);
    if (!wellMade.ok) return wellMade;
  }
  return good({ ...model, tables: model.tables.toSpliced(at, 0, table) });
}

const invertAddTable = (_: Model, change: AddTable): RemoveTable => ({
  do: 'removeTable',
  table: change.table.id,
});

export const addTable: ChangeDescriptor<AddTable> = {
  apply: applyAddTable,
  invert: (model, change) => [invertAddTable(model, change)],
  subjects: () => [],
  words: ({ table }) =>
    table.pairs
      ? `pairs of ${table.label}`
      : `new ${table.privateTo === undefined ? '' : 'private '}table ${table.label}`,
};
