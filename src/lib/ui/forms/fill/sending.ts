import type { Field } from '$core/types/field';
import type { FileReference } from '$core/fieldTypes/files';
import type { EntryProblem } from '$core/forms/entry';
import { wordsOf } from '$core/fieldTypes/json';
import { call, workspacePath, type Answer, type Refused } from '../../api';
import type { Choice } from '../../controls/Combo.svelte';
import { peopleChoices } from '../../fieldTypes/editors/linkChoices';

type Values = Readonly<Record<string, unknown>>;
type Candidates = { items: { id: number; title: string; shows?: (string | null)[] }[] };

const hasFiles = (value: unknown): value is readonly (File | FileReference)[] =>
  Array.isArray(value) && value.some((one) => one instanceof File);

/** An entry as it goes out: JSON, or its values and each file as a part named by its field. */
export function entryBody(values: Values): FormData | { values: Values } {
  const withFiles = Object.entries(values).filter(([, value]) => hasFiles(value));
  if (withFiles.length === 0) return { values };
  const form = new FormData();
  const names = new Set(withFiles.map(([name]) => name));
  form.append(
    'values',
    JSON.stringify(Object.fromEntries(Object.entries(values).filter(([name]) => !names.has(name)))),
  );
  for (const [name, files] of withFiles)
    for (const file of files as readonly File[]) form.append(name, file, file.name);
  return form;
}

/** Values with their new files sent to the workspace, as references: how members of the workspace send them. */
export async function withFilesSent(workspace: string, values: Values): Promise<Answer<Values>> {
  const done: Record<string, unknown> = { ...values };
  for (const [name, value] of Object.entries(values)) {
    if (!hasFiles(value)) continue;
    const form = new FormData();
    for (const file of value) if (file instanceof File) form.append('file', file, file.name);
    const answer = await call<{ files: FileReference[] }>('POST', workspacePath(workspace, '/files'), form);
    if (!answer.ok) return answer;
    done[name] = [...value.filter((one) => !(one instanceof File)), ...answer.value.files];
  }
  return { ok: true, value: done };
}

/**
 * What a clash says of the fields that were sent: those that somebody else changed as well, with what they wrote,
 * beside the version that stands. Null for any other refusal.
 */
export function clashOf(refused: Refused, start: Values): { version: number; problems: EntryProblem[] } | null {
  if (refused.status !== 409 || typeof refused.version !== 'number') return null;
  const fields = (refused.fields ?? []) as readonly { field: string; theirs: unknown }[];
  const changed = fields.filter(
    ({ field, theirs }) => JSON.stringify(theirs ?? null) !== JSON.stringify(start[field] ?? null),
  );
  return {
    version: refused.version,
    problems: changed.map(({ field, theirs }) => ({
      field,
      message:
        theirs == null ? 'Somebody else blanked it meanwhile.' : `Somebody else wrote “${wordsOf(theirs)}” meanwhile.`,
      fix: 'Save again to keep yours.',
    })),
  };
}

/** What is filled in, as far as the choice of records can depend on it. */
const filled = (values: Values): Values =>
  Object.fromEntries(Object.entries(values).filter(([, value]) => value !== null && value !== '' && !hasFiles(value)));

const asChoices = (answer: Answer<Candidates>): Choice[] =>
  answer.ok
    ? answer.value.items.map(({ id, title, shows = [] }) => ({
        label: title,
        about: shows.filter(Boolean).join(' · '),
        value: { id, title },
      }))
    : [];

/** The records that a link on an outsider's form offers. */
export const outsideChoices = async (path: string, field: Field, typed: string, values: Values): Promise<Choice[]> =>
  asChoices(
    await call<Candidates>('POST', `${path}/candidates`, { field: field.key, q: typed, values: filled(values) }),
  );

/**
 * What is offered to members of the workspace, by a form or, where it does not have the field yet, by its table:
 * records of links, people of the Directory.
 */
export async function insideChoices(
  workspace: string,
  candidates: string,
  field: Field,
  typed: string,
  values: Values,
  record: number | null,
): Promise<Choice[]> {
  if (field.type.kind === 'member') return peopleChoices(workspace, typed);
  const { [field.key]: _, ...others } = filled(values);
  return asChoices(await call<Candidates>('POST', candidates, { q: typed, record, values: others }));
}
