import { checkForm } from '../../forms/checkForm';
import { bad, good, type Result } from '../../problem';
import { findTable } from '../model';
import type { Model } from '../../types/model';
import { formAt, withForms } from './addForm';
import type { ChangeForm } from '../../types/change';

export function applyChangeForm(model: Model, { table: id, form, at }: ChangeForm): Result<Model> {
  const table = findTable(model, id);
  const forms = table?.forms ?? [];
  const place = forms.findIndex((other) => other.id === form.id);
  if (!table || place < 0) return bad('There is no such form.');
  const checked = checkForm(model, table, form);
  return checked.ok
    ? good(withForms(model, table, forms.toSpliced(place, 1).toSpliced(at ?? place, 0, form)))
    : checked;
}

export const invertChangeForm = (model: Model, { table, form }: ChangeForm): ChangeForm => ({
  do: 'changeForm',
  table,
  ...formAt(model, table, form.id),
});
