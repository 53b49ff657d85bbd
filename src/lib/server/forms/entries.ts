import { createHmac, randomUUID } from 'node:crypto';
import { and, count, eq, gt, sql as catalogueSql } from 'drizzle-orm';
import { takeEntry, type EntryProblem } from '$core/forms/entry';
import { fieldItems, isLink } from '$core/forms/form';
import type { Form } from '$core/types/form';
import { linkedTable } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { FileReference } from '$core/fieldTypes/files';
import { plainReading } from '$core/fieldTypes/registry';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { directory } from '../access/directory';
import { formAddresses, formEntries } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { keepFile } from '../files/store';
import type { ReceivedFile } from '../files/uploaded';
import { Refusal, refuse } from '../base/refusal';
import { meetAll } from '../query/candidates';
import { writeRecords, type WriteAnswer } from '../entry/write';
import { RoutineFailed } from '../records/routines/runRoutines';
import { endOf, type OpenForm } from './addresses';

/**
 * An entry as it is sent: values by key as programs write them, and the record it changes, if it is not to make one.
 */
export interface SentEntry {
  readonly values: Readonly<Record<string, unknown>>;
  readonly record?: number;
  readonly version?: number;
}

/** An entry of a member of the workspace: an edit like any other, under the form's name. */
export async function sendEntry(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  form: Form,
  { values, record, version }: SentEntry,
): Promise<WriteAnswer> {
  const taken = await taking(pool, access, table, form, values, record === undefined);
  const title = record === undefined ? `1 record made in ${table.label}` : `1 record changed in ${table.label}`;
  const edits = {
    ...(record === undefined ? { insert: [{ values: taken }] } : { update: [{ id: record, version, values: taken }] }),
    title: `${title} by the form “${form.label}”`,
  };
  return writeRecords(pool, access, table.key, edits, { form: form.id });
}

/**
 * What somebody outside sends: the values, files by the keys of their fields, where it comes from, and a key that tells
 * it from others.
 */
export interface OutsideEntry {
  readonly values: Readonly<Record<string, unknown>>;
  readonly files: readonly ReceivedFile[];
  readonly place: string;
  readonly key: string | null;
}

/** The entry came in before; what was sent again is not written again. */
class AlreadySent extends Error {}

/**
 * Writes an entry from outside, once for its key, as long as the address takes any. Nothing of the record is answered.
 * Files are kept only once everything else of the entry is right.
 */
export async function sendFromOutside(
  pool: Pool,
  open: OpenForm,
  { values, files, place, key }: OutsideEntry,
): Promise<void> {
  const { access, table, form, address } = open;
  // Sent again as its answer was lost: it has arrived, whatever became of the form since.
  if (key !== null && (await hasArrived(pool, address.id, key))) return;
  if (open.ended !== null) throw ended(open.ended);
  const fileFields = new Set(
    table.fields.filter(({ type }) => type.kind === 'files' || type.kind === 'pictures').map(({ key: name }) => name),
  );
  const written = Object.keys(values).filter((name) => fileFields.has(name));
  if (written.length > 0)
    throw refuseEntry(
      written.map((field) => ({
        field,
        message: 'A file is sent as a part of its own.',
        fix: 'Send multipart/form-data.',
      })),
    );
  // First with stand-ins, so that no file of an entry that is refused is ever kept.
  const standIns = filesByField(files, ({ name }) => ({
    file: '0'.repeat(64),
    name: name.slice(0, 255) || 'file',
    size: 1,
    type: 'image/png',
  }));
  await taking(pool, access, table, form, { ...values, ...standIns }, true);
  const kept = new Map<ReceivedFile, FileReference>();
  for (const file of files) kept.set(file, await keepFile(pool, access, file));
  const sent = filesByField(files, (file) => kept.get(file));
  const taken = await taking(pool, access, table, form, { ...values, ...sent }, true);
  const from = createHmac('sha256', address.secret).update(place).digest('base64url');
  const admit = (client: Client) => admitEntry(client, open, from, key ?? randomUUID());
  try {
    await writeRecords(
      pool,
      access,
      table.key,
      { insert: [{ values: taken }], title: `1 record made in ${table.label} by the form “${form.label}”` },
      { admission: { kind: 'form', admit }, form: form.id },
    );
  } catch (error) {
    if (error instanceof AlreadySent) return;
    throw error instanceof Refusal ? asEntryRefusal(error) : error;
  }
}

function filesByField<T>(files: readonly ReceivedFile[], as: (file: ReceivedFile) => T): Record<string, T[]> {
  const found = new Map<string, T[]>();
  for (const file of files) found.set(file.part, [...(found.get(file.part) ?? []), as(file)]);
  return Object.fromEntries(found);
}

const ended = (words: string): Refusal => refuse(410, words, 'Ask whoever gave you the address.');

async function hasArrived(connection: Pool | Client, address: number, key: string): Promise<boolean> {
  const known = await catalogueOn(connection)
    .select({ key: formEntries.key })
    .from(formEntries)
    .where(and(eq(formEntries.address, address), eq(formEntries.key, key)));
  return known.length > 0;
}

/**
 * Lets one entry in, in the transaction that writes it. Its form's addresses are locked in order of their ids, so that
 * entries of a form take turns and no limit is passed by two that come at once; records are locked after that.
 */
async function admitEntry(
  client: Client,
  { access, form, address }: OpenForm,
  place: string,
  key: string,
): Promise<void> {
  const db = catalogueOn(client);
  const all = await db
    .select()
    .from(formAddresses)
    .where(and(eq(formAddresses.workspace, access.workspace.id), eq(formAddresses.formId, form.id)))
    .orderBy(formAddresses.id)
    .for('update');
  const now = all.find(({ id }) => id === address.id);
  if (await hasArrived(client, address.id, key)) throw new AlreadySent();
  const end = now
    ? endOf(
        form,
        now,
        all.reduce((sum, { entries }) => sum + entries, 0),
      )
    : form.closed || 'This form is closed.';
  if (!now || end !== null) throw ended(end ?? '');
  const [lately] = await db
    .select({ n: count() })
    .from(formEntries)
    .where(
      and(
        eq(formEntries.address, address.id),
        eq(formEntries.place, place),
        gt(formEntries.at, catalogueSql`now() - interval '1 hour'`),
      ),
    );
  if ((lately?.n ?? 0) >= now.mostHourly)
    throw refuse(
      429,
      `This form takes ${now.mostHourly} entries an hour from one place, and that many came.`,
      'Wait a while, then send it again; what you wrote is kept here.',
    );
  await db.insert(formEntries).values({ address: address.id, key, place });
  await db
    .update(formAddresses)
    .set({ entries: catalogueSql`${formAddresses.entries} + 1` })
    .where(eq(formAddresses.id, address.id));
}

/** Reads an entry against the form and the limits of its links; refuses it with all that is wrong. */
async function taking(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  form: Form,
  sent: Readonly<Record<string, unknown>>,
  isNew: boolean,
): Promise<Readonly<Record<string, unknown>>> {
  const { zone, day, model } = access.workspace;
  const people = table.fields.some(({ type }) => type.kind === 'member') ? { people: await directory(pool) } : {};
  const { values, problems } = takeEntry(
    model,
    table,
    form,
    sent,
    { ...plainReading, zone, today: day, ...people },
    isNew,
  );
  const found = problems.length > 0 ? problems : await notOffered(pool, access, table, form, values);
  if (found.length > 0) throw refuseEntry(found);
  return values;
}

function refuseEntry(problems: readonly EntryProblem[]): Refusal {
  const [first] = problems;
  return new Refusal(
    422,
    { message: first?.message ?? '', fix: first?.fix, at: `/values/${first?.field ?? ''}` },
    { problems },
  );
}

/** Links that were pointed at records which the form does not offer. */
async function notOffered(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  form: Form,
  values: Readonly<Record<string, unknown>>,
): Promise<EntryProblem[]> {
  const found: EntryProblem[] = [];
  for (const item of fieldItems(form)) {
    const field = table.fields.find(({ id }) => id === item.field);
    const value = field && values[field.key];
    const target =
      field && isLink(field) && !item.hidden && item.offers
        ? linkedTable(access.workspace.model, field)?.table
        : undefined;
    if (!field || !target || !item.offers || value === null || value === undefined) continue;
    const ids = [...new Set((Array.isArray(value) ? value : [value]).map(Number))];
    if (!(await meetAll(pool, access, target, ids, item.offers)))
      found.push({
        field: field.key,
        message: `${item.label ?? field.label}: this cannot be chosen here.`,
        fix: 'Choose one from the list.',
      });
  }
  return found;
}

/** A refusal of the write in the form's terms: the place in it, and nothing about other records. */
function asEntryRefusal(error: Refusal): Refusal {
  const { message, at } = error.problem;
  const field = typeof at === 'string' ? /^\/records\/0\/values\/(.+)$/.exec(at)?.[1] : undefined;
  // What a routine of theirs makes of it is nothing for those outside.
  if (error instanceof RoutineFailed)
    return refuse(422, 'This cannot be taken just now.', 'Send it again later, or tell whoever gave you the address.');
  if (error.status !== 422) return error;
  return field === undefined
    ? refuse(422, message, 'Correct it, then send it again.')
    : refuseEntry([{ field, message, fix: 'Correct it.' }]);
}
