import { bad, good, type Result } from '../../problem';
import type { FormId, TableId } from '../identity';
import { findTable, type Model } from '../model';
import { formAt, withForms, type AddForm } from './addForm';

/** Takes a form away; the records that came in by it stay. */
export interface RemoveForm {
  readonly do: 'removeForm';
  readonly table: TableId;
  readonly form: FormId;
}

export function applyRemoveForm(model: Model, { table: id, form }: RemoveForm): Result<Model> {
  const table = findTable(model, id);
  if (!table?.forms?.some((other) => other.id === form)) return bad('There is no such form.');
  const forms = table.forms.filter((other) => other.id !== form);
  return good(withForms(model, table, forms));
}

export const invertRemoveForm = (model: Model, { table, form }: RemoveForm): AddForm => ({ do: 'addForm', table, ...formAt(model, table, form) });
