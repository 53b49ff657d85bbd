import { formsOf, standingForm } from '$core/forms/form';
import { randomBytes } from 'node:crypto';
import { and, eq, isNull } from 'drizzle-orm';
import type { Form } from '$core/types/form';
import type { Table } from '$core/types/model';
import { outsideAccess, stateColumns, withModel, type WorkspaceAccess } from '../access/workspaceAccess';
import { formAddresses, workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { notHere, refuse, type Refusal } from '../base/refusal';

/** What may be said of an address by those who give it away. */
export interface AddressSettings {
  readonly label: string;
  /** RFC 3339; null never ends. */
  readonly expiresAt: string | null;
  /** Entries it takes in all; null takes any number. */
  readonly most: number | null;
  /** Entries it takes from one place within an hour. */
  readonly mostHourly: number;
  readonly closed: boolean;
}

export interface FormAddress extends AddressSettings {
  readonly id: number;
  /** What stands behind the server's name: `/f/…`. */
  readonly path: string;
  readonly madeAt: string;
  readonly entries: number;
}

const addressPath = (secret: string): string => `/f/${secret}`;

type AddressRow = typeof formAddresses.$inferSelect;

const addressOut = ({
  id,
  secret,
  label,
  madeAt,
  expiresAt,
  most,
  mostHourly,
  closed,
  entries,
}: AddressRow): FormAddress => ({
  id,
  path: addressPath(secret),
  label,
  madeAt: new Date(madeAt).toISOString(),
  expiresAt: expiresAt && new Date(expiresAt).toISOString(),
  most,
  mostHourly,
  closed,
  entries,
});

const ofForm = (access: WorkspaceAccess, form: Form) =>
  and(eq(formAddresses.workspace, access.workspace.id), eq(formAddresses.formId, form.id));

/** The addresses of a form, the oldest first. */
export async function addressesOf(pool: Pool, access: WorkspaceAccess, form: Form): Promise<FormAddress[]> {
  return (
    await catalogueOn(pool).select().from(formAddresses).where(ofForm(access, form)).orderBy(formAddresses.id)
  ).map(addressOut);
}

/** Makes an address with 160 random bits in it: it opens the form, so it must not be found by trying. */
export async function makeAddress(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  form: Form,
  settings: AddressSettings,
): Promise<FormAddress> {
  if (form.audience !== 'outside')
    throw refuse(
      422,
      `“${form.label}” is for people of the workspace.`,
      'Design a form for outsiders: it says for each field what they may see.',
    );
  if (table.privateTo !== undefined)
    throw refuse(422, `${table.label} is private.`, 'Share it first, so that somebody sees what comes in.');
  const secret = randomBytes(20).toString('base64url');
  const [made] = await catalogueOn(pool)
    .insert(formAddresses)
    .values({
      ...settings,
      workspace: access.workspace.id,
      tableId: table.id,
      formId: form.id,
      secret,
      madeBy: access.person.id,
    })
    .returning();
  if (!made) throw new Error('no address was made');
  return addressOut(made);
}

/** Changes what is said of an address; what came in by it stays. */
export async function changeAddress(
  pool: Pool,
  access: WorkspaceAccess,
  form: Form,
  id: number,
  settings: Partial<AddressSettings>,
): Promise<FormAddress> {
  const [now] = await catalogueOn(pool)
    .update(formAddresses)
    .set(settings)
    .where(and(ofForm(access, form), eq(formAddresses.id, id)))
    .returning();
  if (!now) throw notHere('address');
  return addressOut(now);
}

/** Takes an address away: it opens nothing from now on. */
export async function removeAddress(pool: Pool, access: WorkspaceAccess, form: Form, id: number): Promise<void> {
  const gone = await catalogueOn(pool)
    .delete(formAddresses)
    .where(and(ofForm(access, form), eq(formAddresses.id, id)))
    .returning({ id: formAddresses.id });
  if (gone.length === 0) throw notHere('address');
}

/** A form as somebody outside has it before them. */
export interface OpenForm {
  /** Nobody's access: it may write, and what it writes is only ever an entry of the form. */
  readonly access: WorkspaceAccess;
  readonly table: Table;
  /** As it stands today. */
  readonly form: Form;
  readonly address: Pick<AddressRow, 'id' | 'secret'>;
  /** Why it takes nothing any more; null while it does. */
  readonly ended: string | null;
}

/** The form that an address opens. A wrong address and one of a form that is gone are told apart by nothing. */
export async function openForm(pool: Pool, secret: string): Promise<OpenForm> {
  const [found] = await catalogueOn(pool)
    .select({ address: formAddresses, workspace: stateColumns })
    .from(formAddresses)
    .innerJoin(workspaces, eq(workspaces.id, formAddresses.workspace))
    .where(and(eq(formAddresses.secret, secret), isNull(workspaces.deletedAt)));
  const workspace = found && (await withModel(pool, found.workspace));
  const table = workspace?.model.tables.find(({ id }) => id === found?.address.tableId);
  const form = table && formsOf(table).find(({ id }) => id === found?.address.formId);
  // A table can be private again, where its sharing was undone.
  const isOpen = form?.audience === 'outside' && table?.privateTo === undefined;
  if (!found || !workspace || !table || !form || !isOpen) throw noSuchForm();
  const { address } = found;
  const access = outsideAccess(workspace);
  const inAll =
    form.most === null ? 0 : (await addressesOf(pool, access, form)).reduce((sum, { entries }) => sum + entries, 0);
  return {
    access,
    table,
    form: standingForm(workspace.model, table, form),
    address,
    ended: endOf(form, address, inAll),
  };
}

export const noSuchForm = (): Refusal =>
  refuse(404, 'There is no form at this address.', 'Check the address, or ask whoever gave it to you.');

/** Why an address takes nothing any more, in words; null while it does. */
export function endOf(
  form: Form,
  { closed, expiresAt, most, entries }: Omit<AddressRow, 'secret' | 'label'>,
  inAll: number,
): string | null {
  const ended = closed || (expiresAt !== null && Date.parse(expiresAt) <= Date.now());
  const full = (most !== null && entries >= most) || (form.most !== null && inAll >= form.most);
  return ended || full
    ? form.closed.trim() || (full ? 'This form has taken all the entries it was open for.' : 'This form is closed.')
    : null;
}
