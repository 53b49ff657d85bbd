import { bad, good, type Result } from '../../problem';
import { findTable, tableOf } from '../model';
import type { Model, Table } from '../../types/model';
import { checkTableNames } from '../naming';
import { replaceTable } from '../replace';
import type { ChangeTable } from '../../types/change';

export function applyChangeTable(model: Model, change: ChangeTable): Result<Model> {
  const table = findTable(model, change.table);
  if (!table) return bad('There is no such table.');
  const { icon, ...named } = { ...table, ...change.set };
  const changed: Table = icon ? { ...named, icon } : named;
  const checked = checkTableNames(model, changed);
  if (!checked.ok) return checked;
  const title = changed.title;
  if (title !== null && !changed.fields.some(({ id, type }) => id === title && type.kind !== 'counterpart'))
    return bad('The title is no field of this table.', 'Choose one of its fields.');
  return good(replaceTable(model, changed));
}

export function invertChangeTable(model: Model, change: ChangeTable): ChangeTable {
  const table = tableOf(model, change.table);
  const set = Object.fromEntries(Object.keys(change.set).map((name) => [name, table[name as keyof Table] ?? null]));
  return { do: 'changeTable', table: change.table, set };
}
