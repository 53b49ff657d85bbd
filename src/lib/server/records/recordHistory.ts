import type { Scalar } from '$core/types/expression';
import { findTable, isNumbered, linkedTable, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { partsOf } from '$core/types/part';
import { shownType } from '$core/formula/shownType';
import { valueJson } from '$core/fieldTypes/registry';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { notHere } from '../base/refusal';
import { byWords } from '../database/catalogue';
import type { Pool } from '../database/pool';
import { seenTitles } from '../query/seenTitles';
import { titleSql } from '../query/selection';
import { raw, sql } from '../base/sql';
import { pageOf, type Listed } from '../base/listed';
import { cameFrom } from './moved';

/** So many lines of one record one step of History has at most, and one more to see that it goes on. */
const mostTogether = 200;

/** One field of a record in one step of its history. */
interface FieldStep {
  readonly field: string;
  readonly label: string;
  readonly from: unknown;
  readonly to: unknown;
  /** Whether the earlier value can be written again: the field is still there and people fill it in. */
  readonly entered: boolean;
}

/** What one batch did to a record. */
export interface RecordStep {
  readonly batch: number;
  readonly at: string;
  readonly by: string;
  /** An edit, a load, a change of structure, one undone, or an entry of a form from outside. */
  readonly how: string;
  readonly title: string;
  readonly kind: 'made' | 'changed' | 'deleted';
  readonly undone: boolean;
  /** The routine that wrote it, which the edit had set off; null where whoever made the edit did. */
  readonly routine: { readonly id: string; readonly label: string } | null;
  readonly fields: readonly FieldStep[];
}

interface HistoryLine {
  readonly batch: number;
  readonly at: string;
  readonly by: string;
  readonly how: string;
  readonly title: string;
  readonly kind: RecordStep['kind'];
  readonly undone: boolean;
  readonly routine: string | null;
  readonly before: Record<string, Scalar> | null;
  readonly after: Record<string, Scalar> | null;
}

/**
 * What became of a record, newest first: which fields changed from what to what, when, by whom and by what. Values are
 * as they are written today: links by today's titles, options by today's labels. Fields that are gone are left out.
 */
export async function recordHistory(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  id: number,
  { after, limit }: { readonly after?: number | undefined; readonly limit: number },
): Promise<Listed<RecordStep>> {
  // Of a record that is not seen nothing is told; of one that is gone nobody knows any more whether it was.
  if (access.workspace.cuts?.of.has(table.id)) {
    const { rows: there } = await pool.query(
      sql`select from ${tableSql(access.workspace, table)} r where r._id = ${id}`,
    );
    if (there.length === 0) throw notHere('record');
  }
  const before = await placesBefore(pool, access, table, id);
  const found: RecordStep[] = [];
  for (const place of [{ table, id }, ...before])
    found.push(...(await stepsAt(pool, access, place.table, place.id, { after, limit: limit + mostTogether })));
  const sorted = found.sort((a, b) => b.batch - a.batch);
  // A step of History is not cut in two: what a routine did stands with the edit that set it off.
  let end = limit;
  while (end < sorted.length && sorted[end]?.batch === sorted[end - 1]?.batch) end++;
  return pageOf(sorted, end, ({ batch }) => batch);
}

/** A routine by its label today, where its table is seen. */
const routineLabel = ({ whole, sight }: WorkspaceAccess, id: string): string =>
  whole.model.tables
    .filter((table) => findTable(sight, table.id))
    .flatMap((table) => partsOf(table, 'routine'))
    .find((one) => one.id === id)?.label ?? 'a routine';

/** What the record was before it was moved here, as far as those tables are seen here. */
async function placesBefore(pool: Pool, access: WorkspaceAccess, table: Table, id: number) {
  return (await cameFrom(pool, table, id)).flatMap((place) => {
    const known = findTable(access.workspace.model, place.table);
    return known && known.home === undefined ? [{ table: known, id: place.id }] : [];
  });
}

/** The steps of one record in one table, newest first. */
async function stepsAt(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  id: number,
  { after, limit }: { readonly after?: number | undefined; readonly limit: number },
): Promise<RecordStep[]> {
  // A step of another workspace can have moved it here: who is no member there learns that, and no more.
  const isTold = sql`(
    b.workspace = ${access.workspace.id}
    or exists (select from loom.memberships m where m.workspace = b.workspace and m.person = ${access.person.id})
  )`;
  const { rows } = await pool.query<HistoryLine>(
    sql`
      select h.batch, b.at, case when ${isTold} then ${raw(byWords)} else 'somebody there' end as by, b.kind as how,
        case when ${isTold} then b.title else 'Records moved here from another workspace' end as title, h.kind,
        b.undone_by is not null as undone, h.routine, h.before, h.after
      from loom.history h
      join loom.batches b on b.id = h.batch
      left join loom.people p on p.id = b.person
      where h.table_id = ${table.id} and ${id} between h.first_id and h.last_id
        and h.batch < ${after ?? null}::bigint is not false
        and (b.workspace = ${access.workspace.id} or exists (
          select from loom.moved m where m.batch = b.id and ${access.workspace.id} in (m.to_workspace, m.from_workspace)
        ))
      order by h.batch desc, h.step desc limit ${limit}
    `,
  );
  const titles = await titlesOf(pool, access, table, rows);
  const shown = (field: Field, value: Scalar): unknown => {
    if (value === null) return null;
    const title = titles.get(field.id)?.get(Number(value)) ?? null;
    return valueJson(shownType(access.workspace.model, field), value, title);
  };
  return (await seenTitles(pool, access, rows)).map(({ before, after: now, routine, ...line }) => ({
    ...line,
    routine: routine === null ? null : { id: routine, label: routineLabel(access, routine) },
    fields: table.fields.flatMap((field): FieldStep[] => {
      if (!(field.id in (before ?? {})) && !(field.id in (now ?? {}))) return [];
      const [from, to] = [before?.[field.id] ?? null, now?.[field.id] ?? null];
      if (from === null && to === null) return [];
      const entered = field.type.kind !== 'formula' && !isNumbered(field);
      return [{ field: field.key, label: field.label, from: shown(field, from), to: shown(field, to), entered }];
    }),
  }));
}

/** Today's titles of the records, and names of the people, that a history names. */
async function titlesOf(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  lines: readonly HistoryLine[],
): Promise<Map<string, Map<number, string>>> {
  const found = new Map<string, Map<number, string>>();
  for (const field of table.fields) {
    const target = field.type.kind === 'link' ? linkedTable(access.workspace.model, field)?.table : undefined;
    const person = valueTypeOf(field).is === 'member';
    if (!target && !person) continue;
    const ids = [
      ...new Set(
        lines
          .flatMap(({ before, after }) => [before?.[field.id], after?.[field.id]])
          .filter((value) => value !== null && value !== undefined),
      ),
    ].map(Number);
    if (ids.length === 0) continue;
    const { rows } = target
      ? await pool.query<{ id: number; title: string }>(
          sql`
            select x._id as id, ${raw(titleSql(access, target, 'x'))} as title
            from ${tableSql(access.workspace, target)} x
            where x._id = any(${ids})
          `,
        )
      : await pool.query<{ id: number; title: string }>(
          sql`select id, name as title from loom.people where id = any(${ids})`,
        );
    found.set(field.id, new Map(rows.map(({ id, title }) => [id, title])));
  }
  return found;
}
