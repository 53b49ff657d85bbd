import { tableAt, authorize, type Person, type WorkspaceAccess } from '$server/access/workspaceAccess';
import { changesFromJson, senderOf, type ChangeJson } from '$server/api/changes/changes';
import { withForeign } from '$server/api/workspaces';
import type { Pool } from '$server/database/pool';
import type { Refusal } from '$server/base/refusal';
import { applyPlan, makePlan, type PlanOut } from '$server/structure/plan';
import { readByIds } from '$server/query/read';
import { undoBatch } from '$server/history/undo';
import { writeRecords } from '$server/entry/write';
import type { RecordEdits } from '$server/entry/edits';
import { makeAccess } from './database';

/** A workspace that changes are made in as a program would, each step with the newest access. */
export class Place {
  constructor(
    readonly pool: Pool,
    readonly key: string,
    readonly person: Person,
  ) {}
  access = (): Promise<WorkspaceAccess> => authorize(this.pool, this.person, this.key, 'see');
  async plan(...changes: ChangeJson[]): Promise<PlanOut> {
    const access = await withForeign(this.pool, await this.access(), changes);
    return makePlan(this.pool, access, changesFromJson(access.workspace.model, changes, senderOf(access)));
  }
  async change(...changes: ChangeJson[]): Promise<number> {
    const plan = await this.plan(...changes);
    if (!plan.possible) throw new Error(JSON.stringify(plan.effects.flatMap(({ breaks }) => breaks)));
    return (await applyPlan(this.pool, await this.access(), plan.id)).batch;
  }
  write = async (table: string, edits: RecordEdits) => writeRecords(this.pool, await this.access(), table, edits);
  insert = async (table: string, ...values: Record<string, unknown>[]) =>
    (await this.write(table, { insert: values.map((one) => ({ values: one })) })).records;
  undo = async (batch: number) => undoBatch(this.pool, await this.access(), batch);
  async values(table: string, key: string): Promise<unknown[]> {
    const access = await this.access();
    const { rows } = await this.pool.query<{ id: number }>(`select _id as id from ${this.key}.${table} order by 1`);
    return (
      await readByIds(
        this.pool,
        access,
        tableAt(access, table),
        rows.map(({ id }) => id),
      )
    ).map(({ values }) => values[key]);
  }
  /** Refused with this in its message or its fix. */
  async refused(work: Promise<unknown>): Promise<string> {
    const error = await work.then(
      () => null,
      (reason: Refusal) => reason,
    );
    return error ? `${error.message} ${error.problem?.fix ?? ''}` : 'nothing was refused';
  }
}

export async function makePlace(pool: Pool, person: Person, label: string): Promise<Place> {
  const { workspace } = await makeAccess(pool, person, label);
  return new Place(pool, workspace.key, person);
}

/** A field of texts as a program sends it. */
export const text = (label: string, more: object = {}) => ({ label, type: 'text' as const, ...more });
