import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { refuse } from '../../base/refusal';
import { sql } from '../../base/sql';
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
/** In the transaction of an edit no more is put in the queue: who means to write to more does it in parts. */
const mostAtOnce = 100_000;
/** So often it is tried: with pauses that grow up to six hours about a day. */
const mostTries = 14;

/** Puts messages and calls in the queue, in the transaction of the edit that they belong to. */
export async function keepOutgoing(
  { client, access }: { readonly client: Client; readonly access: WorkspaceAccess },
  batch: number | null,
  all: readonly ToSend[],
): Promise<void> {
  if (all.length === 0) return;
  if (all.length > mostAtOnce)
    throw refuse(
      422,
      `This would send ${all.length.toLocaleString('en')} messages and calls; ${mostAtOnce.toLocaleString('en')} is the most.`,
      'Change fewer records at once.',
    );
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
