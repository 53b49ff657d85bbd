import type { TableId } from '$core/types/identity';
import { findTable } from '$core/model/model';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { undoBatch } from './undo';
import { sql } from '../base/sql';

/** A step that was undone or done again. */
export interface OwnStep {
  /** The batch that did it. */
  readonly batch: number;
  readonly title: string;
}

/** From so many records on an undo is asked about first. */
const fewRecords = 1;

export interface OwnUndo {
  /** Only what touched this table, by identity; what was done elsewhere is said and left to be asked for. */
  readonly within?: TableId;
  /** Whether to be told first, by a refusal with what it would do, where it concerns more than one record. */
  readonly ask?: boolean;
}

/**
 * Undoes the latest of the person's own edits that stands, where they are. What can be undone is read from the history,
 * so it is the same on every page and after a reload.
 */
export async function undoOwn(
  pool: Pool,
  access: WorkspaceAccess,
  { within, ask = false }: OwnUndo = {},
): Promise<OwnStep> {
  requireRight(access, 'write');
  const { rows } = await pool.query<{
    id: number;
    title: string;
    here: boolean;
    tables: string[] | null;
    records: number;
  }>(
    // The latest here, else the latest anywhere; what it touched is added up for that one alone.
    sql`
      with own as (
        select id, title
        from loom.batches
        where workspace = ${access.workspace.id} and person = ${access.person.id} and kind = 'edit'
          and undone_by is null
      )
      select s.id, s.title, s.here, h.tables, coalesce(h.records, 0)::int as records
      from (
        (
          select *, true as here
          from own
          where ${within ?? null}::text is null
            or exists (select from loom.history where batch = own.id and table_id = ${within ?? null})
          order by id desc limit 1
        )
        union all (select *, false from own where ${within ?? null}::text is not null order by id desc limit 1)
      ) s
      left join lateral (
        select array_agg(distinct table_id) as tables, sum(last_id - first_id + 1) as records
        from loom.history
        where batch = s.id
      ) h on true
      order by s.here desc limit 1
    `,
  );
  const [step] = rows;
  if (!step) throw refuse(422, 'There is no edit of yours to undo.', 'Changes of others are undone in History.');
  const labels = (step.tables ?? []).flatMap((id) => findTable(access.workspace.model, id)?.label ?? []);
  const waiting = { batch: step.id, title: step.title, records: step.records };
  if (!step.here)
    throw Object.assign(
      refuse(409, `Nothing of yours is left to undo here. Your last edit is in ${labels.join(', ')}: ${step.title}.`),
      {
        details: { undo: { ...waiting, elsewhere: labels } },
      },
    );
  if (ask && step.records > fewRecords)
    throw Object.assign(
      refuse(409, `This would undo an edit of ${step.records.toLocaleString('en')} records: ${step.title}.`),
      { details: { undo: waiting } },
    );
  return { batch: (await undoBatch(pool, access, step.id)).batch, title: step.title };
}

/** Does again what the person undid last, as long as they have edited nothing since. */
export async function redoOwn(pool: Pool, access: WorkspaceAccess): Promise<OwnStep> {
  requireRight(access, 'write');
  const { rows } = await pool.query<{ undo: number; title: string; since: boolean }>(
    sql`
      select u.id as undo, b.title,
        exists (
          select
          from loom.batches n
          where n.workspace = ${access.workspace.id} and n.person = ${access.person.id} and n.kind = 'edit'
            and n.id > u.id
        ) as since
      from loom.batches b
      join loom.batches u on u.id = b.undone_by
      where b.workspace = ${access.workspace.id} and b.person = ${access.person.id} and b.kind = 'edit'
        and u.person = ${access.person.id}
      order by u.id desc limit 1
    `,
  );
  const [step] = rows;
  if (!step || step.since)
    throw refuse(422, 'There is nothing to do again.', 'Only what you undid last can be done again.');
  return { batch: (await undoBatch(pool, access, step.undo)).batch, title: step.title };
}
