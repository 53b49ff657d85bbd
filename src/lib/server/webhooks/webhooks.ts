import { randomBytes } from 'node:crypto';
import { and, desc, eq, inArray, lt, sql } from 'drizzle-orm';
import { tableNamed } from '$core/model/model';
import { sharedViews } from '$core/views/view';
import { auditing } from '../access/audit';
import { requireNoLess } from '../access/limits';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { deliveries, people, webhooks, type DeliveryState, type WebhookState } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { lookAgain } from '../database/changeEvents';
import { inTransaction } from '../database/transaction';
import { has } from '$core/access/rights';
import { outboundUrl, webhookSecret } from '../http/outbound';
import { pageOf, type Listed } from '../base/listed';

/** A webhook as it is shown: never its secret, which is shown once. */
export interface WebhookShown {
  readonly id: number;
  readonly label: string;
  /** By key; null for a table that is gone, or not seen. */
  readonly table: string | null;
  readonly tableLabel: string | null;
  /** A shared view by its id; null for all records. */
  readonly view: string | null;
  readonly viewLabel: string | null;
  readonly url: string;
  readonly state: WebhookState;
  readonly madeAt: string;
  readonly by: string;
  /** The number of whoever made it. */
  readonly person: number;
  /** Deliveries that wait, and why the last one that was tried did not arrive. */
  readonly waiting: number;
  readonly problem: string | null;
}

export interface WebhookWish {
  readonly label: string;
  readonly table: string;
  readonly view?: string | undefined;
  readonly url: string;
}

const row = {
  id: webhooks.id,
  label: webhooks.label,
  tableId: webhooks.tableId,
  viewId: webhooks.viewId,
  url: webhooks.url,
  state: webhooks.state,
  madeAt: webhooks.madeAt,
  by: people.name,
  person: webhooks.person,
  waiting: sql<number>`(select count(*)::int from loom.deliveries d where d.webhook = ${webhooks.id} and d.state = 'waiting')`,
  problem: sql<string | null>`
    (select coalesce(d.status::text || ': ', '') || d.answer from loom.deliveries d
     where d.webhook = ${webhooks.id} and d.state in ('waiting', 'failed') and d.tries > 0 order by d.id limit 1)
  `,
};

/** The webhooks of a workspace, in the order they were made. */
export async function webhooksOf(
  connection: Pool | Client,
  { workspace }: WorkspaceAccess,
  only?: number,
): Promise<WebhookShown[]> {
  const rows = await catalogueOn(connection)
    .select(row)
    .from(webhooks)
    .innerJoin(people, eq(people.id, webhooks.person))
    .where(and(eq(webhooks.workspace, workspace.id), only === undefined ? undefined : eq(webhooks.id, only)))
    .orderBy(webhooks.id);
  return rows.map(({ id, label, tableId, viewId, ...rest }) => {
    const table = workspace.model.tables.find((one) => one.id === tableId);
    const view = table && sharedViews(table).find((one) => one.id === viewId);
    return {
      id,
      label,
      table: table?.key ?? null,
      tableLabel: table?.label ?? null,
      view: viewId,
      viewLabel: view?.label ?? null,
      ...rest,
    };
  });
}

async function webhookNow(connection: Pool | Client, access: WorkspaceAccess, id: number): Promise<WebhookShown> {
  const [found] = await webhooksOf(connection, access, id);
  if (!found) throw notHere('webhook');
  return found;
}

/** Makes a webhook; its secret is in the answer, and nowhere else. It sends what its maker may take out. */
export async function makeWebhook(
  pool: Pool,
  access: WorkspaceAccess,
  { label, table: name, view: viewName, url }: WebhookWish,
): Promise<WebhookShown & { readonly secret: string }> {
  requireTakesOut(access);
  const table = tableNamed(access.workspace.model, name);
  if (!table || table.home !== undefined)
    throw refuse(422, `There is no table “${name}” here.`, 'Use a key from the model.', '/table');
  const view = viewName === undefined ? null : sharedViews(table).find((one) => [one.id, one.label].includes(viewName));
  if (view === undefined)
    throw refuse(422, `${table.label} has no shared view “${String(viewName)}”.`, 'Share the view first.', '/view');
  outboundUrl(url);
  const secret = webhookSecret(randomBytes(24));
  return inTransaction(pool, 'select 1', async (client) => {
    const [made] = await catalogueOn(client)
      .insert(webhooks)
      .values({
        workspace: access.workspace.id,
        tableId: table.id,
        viewId: view?.id ?? null,
        label: label.trim(),
        url,
        secret,
        person: access.person.id,
      })
      .returning({ id: webhooks.id });
    await auditing(client, access.person, access.workspace.id, 'webhookMade', { label, url });
    await lookAgain(client, [access.workspace.id]);
    return { ...(await webhookNow(client, access, made?.id ?? 0)), secret };
  });
}

/** A webhook goes on by its person alone, so a program with less than their rights makes none. */
function requireTakesOut({ rights, person }: WorkspaceAccess): void {
  requireNoLess(person);
  if (!has(rights, 'takeOut'))
    throw refuse(403, 'You may not take data out of this workspace, so a webhook of yours may not, either.');
}

/** What becomes of what is left where a webhook goes on: it is sent, or passed over. */
export interface WebhookChange {
  readonly label?: string;
  readonly url?: string;
  readonly state?: WebhookState;
  readonly passOver?: boolean;
}

/** Changes a webhook, stops it, or lets it go on with what did not arrive. */
export async function changeWebhook(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  { passOver = false, ...change }: WebhookChange,
): Promise<WebhookShown> {
  if (change.url !== undefined) outboundUrl(change.url);
  return inTransaction(pool, 'select 1', async (client) => {
    const before = await webhookNow(client, access, id);
    const db = catalogueOn(client);
    // To another address goes what whoever names it may see, and nothing that was made for somebody else.
    const moves = change.url !== undefined && change.url !== before.url;
    if (moves) {
      requireTakesOut(access);
      await db.update(webhooks).set({ person: access.person.id }).where(eq(webhooks.id, id));
      await db.update(deliveries).set({ body: null }).where(eq(deliveries.webhook, id));
    }
    if (Object.keys(change).length > 0) await db.update(webhooks).set(change).where(eq(webhooks.id, id));
    const goesOn = change.state === 'on';
    if (goesOn || passOver)
      await db
        .update(deliveries)
        .set(passOver ? { state: 'passed over' } : { state: 'waiting', tries: 0, nextAt: sql`now()` })
        .where(
          and(eq(deliveries.webhook, id), inArray(deliveries.state, passOver ? ['failed'] : ['failed', 'waiting'])),
        );
    // Whoever sends looks at once.
    await lookAgain(client, [access.workspace.id]);
    const what = change.state === undefined ? 'changed' : goesOn ? 'let go on' : 'stopped';
    const { label } = change.label === undefined ? before : { label: change.label };
    await auditing(client, access.person, access.workspace.id, 'webhookChanged', {
      label,
      url: change.url ?? before.url,
      what,
    });
    return webhookNow(client, access, id);
  });
}

export async function deleteWebhook(pool: Pool, access: WorkspaceAccess, id: number): Promise<void> {
  await inTransaction(pool, 'select 1', async (client) => {
    const { label, url } = await webhookNow(client, access, id);
    await catalogueOn(client).delete(webhooks).where(eq(webhooks.id, id));
    await auditing(client, access.person, access.workspace.id, 'webhookDeleted', { label, url });
  });
}

/** One delivery, as the log has it. */
export interface DeliveryShown {
  readonly id: number;
  readonly batch: number;
  readonly at: string;
  readonly state: DeliveryState;
  readonly tries: number;
  readonly nextAt: string | null;
  readonly sentAt: string | null;
  readonly status: number | null;
  readonly answer: string | null;
  readonly body: string | null;
}

/** The deliveries of a webhook, newest first, with the number to go on after; null at the end. */
export async function deliveriesOf(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  { after, limit }: { readonly after?: number | undefined; readonly limit: number },
): Promise<Listed<DeliveryShown>> {
  const { person } = await webhookNow(pool, access, id);
  const rows = await catalogueOn(pool)
    .select()
    .from(deliveries)
    .where(and(eq(deliveries.webhook, id), after === undefined ? undefined : lt(deliveries.id, after)))
    .orderBy(desc(deliveries.id))
    .limit(limit + 1);
  // What was sent is what its maker sees, who may see more than others.
  const isMine = person === access.person.id;
  const shown = rows.map(({ webhook: _, nextAt, state, body, ...one }) => ({
    ...one,
    state,
    nextAt: state === 'waiting' ? nextAt : null,
    body: isMine ? body : null,
  }));
  return pageOf(shown, limit, ({ id: last }) => last);
}

/** Sends a delivery again, just as it was. */
export async function replay(pool: Pool, access: WorkspaceAccess, id: number, delivery: number): Promise<void> {
  const { label, url } = await webhookNow(pool, access, id);
  await inTransaction(pool, 'select 1', async (client) => {
    const [found] = await catalogueOn(client)
      .update(deliveries)
      .set({ state: 'waiting', tries: 0, nextAt: sql`now()` })
      .where(and(eq(deliveries.id, delivery), eq(deliveries.webhook, id)))
      .returning({ id: deliveries.id });
    if (!found) throw notHere('delivery');
    await lookAgain(client, [access.workspace.id]);
  });
  await auditing(pool, access.person, access.workspace.id, 'webhookChanged', {
    label,
    url,
    what: `sent delivery ${delivery} again by`,
  });
}
