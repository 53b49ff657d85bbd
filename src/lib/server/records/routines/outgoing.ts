import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { refuse } from '../../base/refusal';
import { sql } from '../../base/sql';
import { ReachesMany } from '../../calculation/effects';
import type { Client } from '../../database/pool';
import type { OfRecord } from './working';

/** What a routine sends, with who it is and on whose behalf. */
export type ToSend = OfRecord & {
  readonly routine: string;
  readonly label: string;
  readonly table: string;
  readonly keeper: number;
};

/** The task of graphile-worker that sends one of them. */
export const sendingTask = 'send';
/** To so many recipients an edit writes, with its calls: who means to write to more does it in parts. */
const mostAtOnce = 100_000;
/** More recipients and calls are asked about first, where somebody waits: what is sent cannot be undone. */
const mostUnasked = 100;
/** So often it is tried: with pauses that grow up to six hours about a day. */
const mostTries = 14;

/** Thrown where routines would send so much that whoever makes the edit is asked first. */
export class SendsMany extends ReachesMany {
  constructor(
    /** Recipients of messages, and calls. */
    readonly count: number,
    /** What sends it, by label. */
    readonly routines: readonly string[],
  ) {
    super();
  }
}

/** Puts messages and calls in the queue, in the transaction of the edit that they belong to. */
export async function keepOutgoing(
  {
    client,
    access,
    ask = false,
  }: { readonly client: Client; readonly access: WorkspaceAccess; readonly ask?: boolean | undefined },
  batch: number | null,
  all: readonly ToSend[],
): Promise<void> {
  if (all.length === 0) return;
  const count = all.reduce((sum, one) => sum + (one.kind === 'message' ? one.to.length : 1), 0);
  if (count > mostAtOnce)
    throw refuse(
      422,
      `This would write to ${count.toLocaleString('en')} recipients; ${mostAtOnce.toLocaleString('en')} is the most.`,
      'Change fewer records at once.',
    );
  if (ask && count > mostUnasked) throw new SendsMany(count, [...new Set(all.map(({ label }) => label))]);
  const what = all.map(({ routine: _, label: __, table: ___, record: ____, keeper: _____, ...one }) =>
    JSON.stringify(one),
  );
  await client.query(sql`
    with o as (
      insert into loom.outgoing (workspace, batch, routine, label, table_id, record, person, what)
      select ${access.workspace.id}, ${batch}, u.* from unnest(
        ${all.map(({ routine }) => routine)}::text[], ${all.map(({ label }) => label)}::text[],
        ${all.map(({ table }) => table)}::text[],
        ${all.map(({ record }) => record)}::bigint[], ${all.map(({ keeper }) => keeper)}::int[], ${what}::jsonb[]
      ) u
      returning id
    )
    select graphile_worker.add_jobs(array_agg(
      row(${sendingTask}, json_build_object('id', o.id), null, null, ${mostTries}::int, 'outgoing ' || o.id, null, null)::graphile_worker.job_spec
    )) from o
  `);
}
