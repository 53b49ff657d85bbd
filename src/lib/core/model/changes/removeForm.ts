import { bad, good, type Result } from '../../problem';
import { findTable } from '../model';
import type { Model } from '../../types/model';
import { formAt, withForms } from './addForm';
import type { AddForm, RemoveForm } from '../../types/change';

export function applyRemoveForm(model: Model, { table: id, form }: RemoveForm): Result<Model> {
  const table = findTable(model, id);
  if (!table?.forms?.some((other) => other.id === form)) return bad('There is no such form.');
  const forms = table.forms.filter((other) => other.id !== form);
  return good(withForms(model, table, forms));
}

export const invertRemoveForm = (model: Model, { table, form }: RemoveForm): AddForm => ({
  do: 'addForm',
  table,
  ...formAt(model, table, form),
});
