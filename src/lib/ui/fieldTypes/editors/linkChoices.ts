import { fieldOf, isEntered, linkedTable } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { call, workspacePath } from '../../api';

/** A record that a link can be pointed at, as editors offer it; `make` stands for one that is yet to be made. */
export interface LinkChoice {
  readonly label: string;
  readonly about?: string;
  readonly value: { readonly id: number; readonly title: string } | { readonly make: string };
  readonly makes?: true;
}

export interface LinkPlace {
  readonly workspace: string;
  readonly model: Model;
  readonly table: Table;
  readonly field: Field;
  /** The record being edited, and what is filled in on it but not saved. */
  readonly record: number | null;
  readonly draft: Readonly<Record<string, unknown>>;
  readonly mayMake: boolean;
}

/** A draft's values as the API takes them: only those that are filled. */
const sendable = (draft: Readonly<Record<string, unknown>>) =>
  Object.fromEntries(
    Object.entries(draft).filter(([, value]) => value !== null && value !== undefined && value !== ''),
  );

/** The records that a link can be compared with in a condition: any of its table. */
export async function comparedChoices(
  workspace: string,
  table: Table,
  field: Field,
  typed: string,
): Promise<{ label: string; about: string; value: number }[]> {
  const path = workspacePath(workspace, `/tables/${table.key}/fields/${field.key}/candidates`);
  const answer = await call<{ items: { id: number; title: string; shows: (string | null)[] }[] }>('POST', path, {
    q: typed,
    any: true,
  });
  return answer.ok
    ? answer.value.items.map(({ id, title, shows }) => ({
        label: title,
        about: shows.filter(Boolean).join(' · '),
        value: id,
      }))
    : [];
}

/** Asks for the records that a link can be pointed at, with what its limit leaves of them. */
export async function linkChoices(
  { workspace, model, table, field, record, draft, mayMake }: LinkPlace,
  typed: string,
): Promise<LinkChoice[]> {
  const path = workspacePath(workspace, `/tables/${table.key}/fields/${field.key}/candidates`);
  const { [field.key]: _, ...others } = sendable(draft);
  const answer = await call<{ items: { id: number; title: string; shows: (string | null)[] }[] }>('POST', path, {
    q: typed,
    record,
    values: others,
  });
  if (!answer.ok) return [];
  const found: LinkChoice[] = answer.value.items.map(({ id, title, shows }) => ({
    label: title,
    about: shows.filter(Boolean).join(' · '),
    value: { id, title },
  }));
  const target = linkedTable(model, field)?.table;
  const exact = found.some(({ label }) => label.toLowerCase() === typed.trim().toLowerCase());
  return typed.trim() !== '' && !exact && mayMake && target && titleKey(model, target)
    ? [...found, { label: `Make “${typed.trim()}” in ${target.label}`, value: { make: typed.trim() }, makes: true }]
    : found;
}

/** The records of a table whose title has what was typed. */
export async function titleChoices(
  workspace: string,
  table: string,
  typed: string,
): Promise<{ label: string; value: { id: number; title: string } }[]> {
  const query = new URLSearchParams({ q: typed, limit: '12' });
  const answer = await call<{ items: { id: number; title: string | null }[] }>(
    'GET',
    workspacePath(workspace, `/tables/${table}/titles?${query}`),
  );
  const found = answer.ok ? answer.value.items : [];
  return found.map(({ id, title }) => ({ label: title ?? `#${id}`, value: { id, title: title ?? `#${id}` } }));
}

/** The people of the Directory whose name or post has what was typed. */
export async function peopleChoices(
  workspace: string,
  typed: string,
): Promise<{ label: string; about: string; value: { id: number; name: string } }[]> {
  const answer = await call<{ items: { id: number; name: string; post: string }[] }>(
    'GET',
    workspacePath(workspace, '/directory'),
  );
  const found = answer.ok
    ? answer.value.items.filter(({ name, post }) => `${name} ${post}`.toLowerCase().includes(typed.toLowerCase()))
    : [];
  return found.map(({ id, name, post }) => ({ label: name, about: post, value: { id, name } }));
}

/** The key of a title that people write; null where a record cannot be made from its title alone. */
function titleKey(model: Model, target: Table): string | null {
  if (target.home !== undefined || target.title === null) return null;
  const { field } = fieldOf(model, target.title);
  if (target.fields.some((other) => other.required && other.id !== field.id && isEntered(other) && !other.default))
    return null;
  return ['text', 'longText'].includes(field.type.kind) ? field.key : null;
}

/** Makes a target on the spot from its title. */
export async function makeTarget(
  { workspace, model, field }: LinkPlace,
  title: string,
): Promise<{ id: number; title: string } | { problem: string }> {
  const target = linkedTable(model, field)?.table;
  const key = target && titleKey(model, target);
  if (!target || !key) return { problem: 'Make this record in its own table first.' };
  const answer = await call<{ records: { id: number }[] }>(
    'POST',
    workspacePath(workspace, `/tables/${target.key}/records`),
    { records: [{ values: { [key]: title } }] },
    true,
  );
  const made = answer.ok ? answer.value.records[0] : undefined;
  return made
    ? { id: made.id, title }
    : { problem: answer.ok ? '' : `${answer.problem.message} ${answer.problem.fix ?? ''}` };
}
