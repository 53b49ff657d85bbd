import { checkForm } from '../../forms/checkForm';
import type { Form } from '../../forms/form';
import { bad, good, type Result } from '../../problem';
import type { TableId } from '../identity';
import { findTable, type Model } from '../model';
import { formAt, withForms } from './addForm';

/** Another design of a form, or another place among the forms of its table. */
export interface ChangeForm {
  readonly do: 'changeForm';
  readonly table: TableId;
  /** The form as it will be; its identity says which one. */
  readonly form: Form;
  readonly at?: number;
}

export function applyChangeForm(model: Model, { table: id, form, at }: ChangeForm): Result<Model> {
  const table = findTable(model, id);
  const forms = table?.forms ?? [];
  const place = forms.findIndex((other) => other.id === form.id);
  if (!table || place < 0) return bad('There is no such form.');
  const checked = checkForm(model, table, form);
  return checked.ok ? good(withForms(model, table, forms.toSpliced(place, 1).toSpliced(at ?? place, 0, form))) : checked;
}

export const invertChangeForm = (model: Model, { table, form }: ChangeForm): ChangeForm => ({ do: 'changeForm', table, ...formAt(model, table, form.id) });
