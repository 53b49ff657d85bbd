import { formsOf } from '$core/forms/form';
import { newId } from '$core/types/identity';
import type { Form } from '$core/types/form';
import type { Table } from '$core/types/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { notHere } from '../base/refusal';
import { changeAtOnce } from '../structure/plan';

/** A form of a table, by id or name. */
export function formNamed(table: Table, name: string): Form {
  const forms = formsOf(table);
  const found =
    forms.find(({ id }) => id === name) ?? forms.find(({ label }) => label.toLowerCase() === name.toLowerCase());
  if (!found) throw notHere('form');
  return found;
}

/** Puts a form beside the others of its table. */
export async function addForm(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  given: Form,
  at = formsOf(table).length,
): Promise<Form> {
  const form = { ...given, id: newId('o') };
  await changeAtOnce(pool, access, [{ do: 'addPart', kind: 'form', table: table.id, part: form, at }]);
  return form;
}

/** Saves another design of a form under its identity. */
export const saveForm = (pool: Pool, access: WorkspaceAccess, table: Table, form: Form, at?: number): Promise<void> =>
  changeAtOnce(pool, access, [
    { do: 'changePart', kind: 'form', table: table.id, part: form, ...(at === undefined ? {} : { at }) },
  ]);

/** Takes a form away; its addresses open nothing then, until it is brought back. */
export const removeForm = (pool: Pool, access: WorkspaceAccess, table: Table, form: Form): Promise<void> =>
  changeAtOnce(pool, access, [{ do: 'removePart', kind: 'form', table: table.id, part: form.id }]);
