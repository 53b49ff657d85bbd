import { findField } from '$core/model/model';
import type { Expression } from '$core/types/expression';
import type { Table } from '$core/types/model';
import type { FieldId } from '$core/types/identity';
import { sharedViews, shownColumns } from '$core/views/view';
import { standingView } from '$core/views/viewJson';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { raw, sql } from '../base/sql';
import type { Pool } from '../database/pool';
import { readByIds } from '../query/read';
import { Selection } from '../query/selection';

/** So many records of one batch are told one by one; of more only how many there are. */
const mostTold = 1_000;

/** What happened to one record. */
interface RecordEvent {
  readonly record: number;
  readonly kind: 'made' | 'changed' | 'deleted';
  /** The fields that were written, by key. */
  readonly changed: readonly string[];
  /** Whether the view shows it from then on; without a view whether it is there. */
  readonly shown: boolean;
  /** The record as it is now; null where it is not shown. */
  readonly version: number | null;
  readonly values: Readonly<Record<string, unknown>> | null;
}

/** What a webhook sends of one batch. */
export interface WebhookBody {
  readonly workspace: string;
  readonly table: string;
  readonly view: string | null;
  readonly batch: number;
  readonly at: string;
  readonly by: string;
  readonly records: number;
  /** Too many records to be told one by one: they are to be read. */
  readonly cut: boolean;
  readonly events: readonly RecordEvent[];
}

/** What a webhook is about can no longer be told: why, in words. */
export class Untellable extends Error {}

interface HistoryLine {
  readonly first: number;
  readonly last: number;
  readonly kind: RecordEvent['kind'];
  readonly fields: readonly FieldId[] | null;
}

/**
 * What of a batch a webhook tells, to whoever made it; null where they may see nothing of it. Records are told as they
 * are now, as they may have been changed again.
 */
export async function webhookBody(
  pool: Pool,
  access: WorkspaceAccess,
  { tableId, viewId }: { readonly tableId: string; readonly viewId: string | null },
  batch: number,
): Promise<WebhookBody | null> {
  const { model, key, cuts } = access.workspace;
  const table = model.tables.find(({ id, home }) => id === tableId && home === undefined);
  if (!table) throw new Untellable('The table is not there any more.');
  const view = viewId === null ? null : sharedViews(table).find(({ id }) => id === viewId);
  if (view === undefined) throw new Untellable('The view is not there any more.');
  const standing = view && standingView(model, table, view);
  if (standing && view?.filter !== null && standing.filter === null)
    throw new Untellable('The filter of the view reads a field that is not there any more.');
  const { rows: found } = await pool.query<{ at: string; by: string; records: number }>(sql`
    select to_char(b.at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') as at,
      coalesce(p.name, 'somebody outside') as by,
      (select sum(h.last_id - h.first_id + 1) from loom.history h where h.batch = b.id and h.table_id = ${tableId})::int
        as records
    from loom.batches b left join loom.people p on p.id = b.person where b.id = ${batch}
  `);
  const [info] = found;
  if (!info?.records) return null;
  const head = { workspace: key, table: table.key, view: view?.label ?? null, batch, ...info };
  const isCut = cuts?.of.has(table.id) === true;
  // How many there are would tell of those that are not seen.
  if (info.records > mostTold) return { ...head, records: isCut ? 0 : info.records, cut: true, events: [] };
  const { rows } = await pool.query<HistoryLine>(sql`
    select first_id as first, last_id as last, kind,
      (select array_agg(f) from jsonb_object_keys(coalesce(after, before)) f) as fields
    from loom.history where batch = ${batch} and table_id = ${tableId} order by first_id
  `);
  const lines = rows.flatMap(({ first, last, ...line }) =>
    Array.from({ length: last - first + 1 }, (_, at) => ({ record: first + at, ...line })),
  );
  const ids = lines.filter(({ kind }) => kind !== 'deleted').map(({ record }) => record);
  const met = new Set(standing?.filter ? await meeting(pool, access, table, standing.filter, ids) : ids);
  const read = new Map((await readByIds(pool, access, table, ids)).map((record) => [record.id, record]));
  const columns = new Set(standing ? shownColumns(table, standing).map(({ field }) => field.key) : []);
  const events = lines.flatMap(({ record, kind, fields }): RecordEvent[] => {
    const now = read.get(record);
    // Of one that is gone nobody knows any more whether it was seen.
    if (isCut && !now) return [];
    const seen = (fields ?? []).flatMap((id) => findField(model, id)?.field.key ?? []);
    // Nothing that they may see is different.
    if (kind === 'changed' && seen.length === 0) return [];
    const changed = seen.filter((name) => !standing || columns.has(name));
    const shown = now !== undefined && met.has(record);
    const values = shown
      ? Object.fromEntries(Object.entries(now.values).filter(([name]) => !standing || columns.has(name)))
      : null;
    return [{ record, kind: now ? kind : 'deleted', changed, shown, version: now?.version ?? null, values }];
  });
  return events.length === 0 ? null : { ...head, records: events.length, cut: false, events };
}

/** Those of some records that meet a condition. */
async function meeting(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  filter: Expression,
  ids: readonly number[],
): Promise<number[]> {
  const selection = new Selection(access, table);
  const [where = 'true'] = selection.conditions([filter]);
  const { rows } = await pool.query<{ id: number }>(sql`
    select r._id as id from ${raw(selection.from)} where r._id = any(${[...ids]}::bigint[]) and ${raw(where)}
  `);
  return rows.map(({ id }) => id);
}
