import { bad, good, type Result } from '../../base/problem';
import { findTable, tableOf } from '../../model/model';
import type { Model } from '../../types/model';
import type { AddTable, RemoveTable } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';

function applyRemoveTable(model: Model, change: RemoveTable): Result<Model> {
  const table = findTable(model, change.table);
  if (!table) return bad('There is no such table.');
  const held = table.fields.find((field) => ['link', 'counterpart', 'formula'].includes(field.type.kind));
  if (held)
    return bad(`${table.label} still has the linked or calculated field “${held.label}”.`, 'Remove that field first.');
  return good({ ...model, tables: model.tables.filter(({ id }) => id !== change.table) });
}

const invertRemoveTable = (model: Model, change: RemoveTable): AddTable => ({
  do: 'addTable',
  table: tableOf(model, change.table),
  at: model.tables.findIndex(({ id }) => id === change.table),
});

export const removeTable: ChangeDescriptor<RemoveTable> = {
  apply: applyRemoveTable,
  invert: (model, change) => [invertRemoveTable(model, change)],
  subjects: () => [],
  words: ({ table }, names) => `table ${names.table(table)} to the bin`,
};
