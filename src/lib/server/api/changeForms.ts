import type { Change } from '$core/types/change';
import { newForm } from '$core/forms/form';
import type { Form } from '$core/types/form';
import { formJson, readForm, type FormJson } from '$core/forms/formJson';
import { newId } from '$core/model/identity';
import type { Model, Table } from '$core/types/model';
import { refuse } from '../base/refusal';
import type { ChangeJson } from './changeJson';

/** A change of a table's forms with its names looked up. */
export function changeForms(
  model: Model,
  table: Table,
  json: ChangeJson & { do: 'addForm' | 'changeForm' | 'removeForm' },
  at: string,
): Change {
  if (json.do === 'removeForm') return { do: 'removeForm', table: table.id, form: json.form };
  if (json.do === 'addForm') {
    const form = formFrom(
      model,
      table,
      { ...newForm(json.form.audience ?? 'inside'), id: newId('o') },
      json.form,
      `${at}/form`,
    );
    return { do: 'addForm', table: table.id, form, at: json.at ?? table.forms?.length ?? 0 };
  }
  const form = table.forms?.find(({ id }) => id === json.form);
  if (!form) throw refuse(422, `${table.label} has no such form.`, 'Read the model again.', `${at}/form`);
  return {
    do: 'changeForm',
    table: table.id,
    form: formFrom(model, table, form, json.set, `${at}/set`),
    ...(json.at === undefined ? {} : { at: json.at }),
  };
}

/** A form with what was sent of it; refused with the place of what cannot be read. */
export function formFrom(model: Model, table: Table, form: Form, sent: Partial<FormJson>, at: string): Form {
  const read = readForm(model, table, form.id, { ...formJson(model, table, form).form, ...sent });
  if (!read.ok)
    throw refuse(
      422,
      read.problem.message,
      read.problem.fix,
      `${at}${typeof read.problem.at === 'string' ? read.problem.at : ''}`,
    );
  return read.value;
}
