import { and, eq } from 'drizzle-orm';
import type { Model } from '$core/types/model';
import type { Change } from '$core/types/change';
import type { Effect } from '$core/changes/effect';
import { requireSeen } from '../access/carried';
import { withWorkspace } from '../access/lock';
import { requireChanges } from '../access/changeRights';
import { accessOver, authorize, telling, type WorkspaceAccess } from '../access/workspaceAccess';
import { plans } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { epochOf } from '../sql/statement';
import { inTransaction } from '../database/transaction';
import { notHere, refuse } from '../base/refusal';
import { constraintRefusal } from '../records/constraint';
import { effectsOf } from './effects';
import { withListedValues } from './listOfValues';
import { keepIndexes } from './standingIndexes';
import { applyStructure } from './structure';
import { progressOf } from '../database/progress';
import { sql } from '../base/sql';

export interface PlanOut {
  readonly id: number;
  readonly effects: readonly Effect[];
  readonly possible: boolean;
}

/**
 * Works out what changes would do, without writing anything to the workspace, and keeps the plan for its application.
 */
export async function makePlan(pool: Pool, given: WorkspaceAccess, sent: readonly Change[]): Promise<PlanOut> {
  await requireChanges(pool, given, sent);
  requireSeen(given, sent);
  const access = telling(given);
  const { workspace, person } = access;
  await requireForeign(pool, access, sent);
  const { changes, effects } = await inTransaction(pool, 'set transaction read only', async (client) => {
    const whole = await withListedValues(client, access, sent);
    return { changes: whole, effects: await effectsOf(client, access, whole) };
  });
  const [made] = await catalogueOn(pool)
    .insert(plans)
    .values({
      workspace: workspace.id,
      person: person.id,
      version: workspace.version,
      epoch: epochOf(workspace),
      changes,
      effects,
    })
    .returning({ id: plans.id });
  return { id: made?.id ?? 0, effects, possible: effects.every(({ breaks }) => breaks.length === 0) };
}

/** A link into another workspace changes that one, too: who makes or removes it may change both. */
async function requireForeign(
  connection: Pool | Client,
  access: WorkspaceAccess,
  changes: readonly Change[],
): Promise<void> {
  for (const home of foreignHomes(access.whole.model, changes))
    await authorize(connection, access.person, home, 'design');
}

/** The other workspaces whose structure changes would change. */
export function foreignHomes(model: Model, changes: readonly Change[]): ReadonlySet<string> {
  const homes = new Set<string>();
  for (const change of changes) {
    if (change.do === 'addTable') {
      if (change.table.home !== undefined) homes.add(change.table.home);
      continue;
    }
    const home = model.tables.find(({ id }) => id === change.table)?.home;
    if (home !== undefined) homes.add(home);
    const type =
      change.do === 'addField'
        ? change.field.type
        : change.do === 'removeField'
          ? model.tables.flatMap(({ fields }) => fields).find(({ id }) => id === change.field)?.type
          : undefined;
    const target = type?.kind === 'link' ? model.tables.find(({ id }) => id === type.to)?.home : undefined;
    if (target !== undefined) homes.add(target);
  }
  return homes;
}

/** Applies a plan whole, to exactly the structure it was made for. */
export async function applyPlan(
  pool: Pool,
  given: WorkspaceAccess,
  id: number,
): Promise<{ batch: number; model: Model }> {
  const access = await accessOver(pool, given, await homesOfPlan(pool, given, id));
  try {
    const { peers } = access.workspace;
    const applied = await withWorkspace(
      pool,
      access,
      'exclusive',
      async (client, held) => {
        const db = catalogueOn(client);
        const [plan] = await db
          .select()
          .from(plans)
          .where(and(eq(plans.id, id), eq(plans.workspace, held.workspace.id)));
        if (!plan) throw notHere('plan');
        await requireChanges(client, held, plan.changes);
        if (plan.appliedAs !== null)
          throw refuse(409, 'This plan was applied already.', 'Make a new plan to do it again.');
        const now = await accessOver(client, held, peers);
        if (plan.version !== now.workspace.version || plan.epoch !== epochOf(now.workspace))
          throw await movedOn(client, now, plan.version);
        const blocked = plan.effects.flatMap(({ breaks }) => breaks)[0];
        if (blocked) throw refuse(422, blocked.message, blocked.fix, blocked.at);
        await requireForeign(client, now, plan.changes);
        const words = plan.effects.map(({ change }) => change);
        const title =
          words.length > 3 ? `${words.slice(0, 2).join('; ')} and ${words.length - 2} more` : words.join('; ');
        const writing = {
          client,
          access: now,
          exclusive: true,
          reportProgress: progressOf(client, now.workspace.id, { kind: 'plan', id }),
        };
        const { batch } = await applyStructure(writing, plan.changes, { kind: 'plan', title: title.slice(0, 300) });
        await db.update(plans).set({ appliedAs: batch }).where(eq(plans.id, id));
        const after = await authorize(client, now.person, String(now.workspace.id), 'see');
        return { batch, access: after };
      },
      { also: peers.map((peer) => peer.id) },
    );
    // Nobody waits for indexes: without them everything is right, only slower.
    void keepIndexes(pool, applied.access);
    return { batch: applied.batch, model: applied.access.workspace.model };
  } catch (error) {
    throw constraintRefusal(access, error) ?? error;
  }
}

/**
 * Changes of structure that touch no record, such as those of views and forms: planned and applied at once. What breaks
 * is refused with its place.
 */
export async function changeAtOnce(pool: Pool, access: WorkspaceAccess, changes: readonly Change[]): Promise<void> {
  const plan = await makePlan(pool, access, changes);
  const broken = plan.effects.flatMap(({ breaks }) => breaks)[0];
  const at = typeof broken?.at === 'string' ? broken.at.replace(/^\/changes\/\d+/, '') : '';
  if (broken) throw refuse(broken.message.includes('already') ? 409 : 422, broken.message, broken.fix, at || '/label');
  await applyPlan(pool, access, plan.id);
}

/** The workspaces a plan was made over: those of its epoch. */
async function homesOfPlan(pool: Pool, access: WorkspaceAccess, id: number): Promise<{ id: number }[]> {
  const [plan] = await catalogueOn(pool)
    .select({ epoch: plans.epoch })
    .from(plans)
    .where(and(eq(plans.id, id), eq(plans.workspace, access.workspace.id)));
  return (plan?.epoch ?? '')
    .split(',')
    .map((one) => ({ id: Number.parseInt(one, 10) }))
    .filter((home) => home.id > 0);
}

/** What others changed since the plan was made, so that the second of two people knows what is different. */
async function movedOn(client: Client, access: WorkspaceAccess, version: number) {
  const { rows } = await client.query<{ title: string; by: string }>(
    sql`
      select b.title, p.name as by
      from loom.batches b
      join loom.people p on p.id = b.person
      where b.workspace = ${access.workspace.id} and b.changes is not null and b.version > ${version}
      order by b.id desc limit 5
    `,
  );
  const words = rows.map(({ title, by }) => `${by}: ${title}`).join('; ');
  return refuse(
    409,
    `The structure moved on since this plan was made${words ? ` (${words})` : ''}.`,
    'Make the plan again: it takes one click and shows what is different.',
  );
}
