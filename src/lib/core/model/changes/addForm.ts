import { checkForm } from '../../forms/checkForm';
import type { Form } from '../../types/form';
import { bad, good, type Result } from '../../problem';
import type { FormId, TableId } from '../identity';
import { findTable, tableOf } from '../model';
import type { Model, Table } from '../../types/model';
import { replaceTable } from '../replace';
import type { RemoveForm, AddForm } from '../../types/change';

export function applyAddForm(model: Model, { table: id, form, at }: AddForm): Result<Model> {
  const table = findTable(model, id);
  if (!table) return bad('There is no such table.');
  if (table.forms?.some((other) => other.id === form.id)) return bad('This form exists already.');
  const checked = checkForm(model, table, form);
  return checked.ok ? good(withForms(model, table, (table.forms ?? []).toSpliced(at, 0, form))) : checked;
}

export const invertAddForm = (_: Model, { table, form }: AddForm): RemoveForm => ({
  do: 'removeForm',
  table,
  form: form.id,
});

/** The table with these forms; one without any has none written. */
export function withForms(model: Model, { forms: _, ...table }: Table, forms: readonly Form[]): Model {
  return replaceTable(model, forms.length > 0 ? { ...table, forms } : table);
}

/** A form of a table and its place; a missing one is a fault of the caller. */
export function formAt(model: Model, table: TableId, id: FormId): { readonly form: Form; readonly at: number } {
  const forms = tableOf(model, table).forms ?? [];
  const at = forms.findIndex((form) => form.id === id);
  const form = forms[at];
  if (!form) throw new Error(`no form ${id} in the model`);
  return { form, at };
}
