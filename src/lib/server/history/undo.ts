import { and, desc, eq, isNotNull, isNull, lt, sql as catalogueSql, type SQL } from 'drizzle-orm';
import type { Change } from '$core/types/change';
import { standsOn } from '$core/changes/change';
import type { Effect } from '$core/changes/effect';
import { findTable } from '$core/model/model';
import { seesEverything } from '$core/parts/visible';
import type { Table } from '$core/types/model';
import { withWorkspace } from '../access/lock';
import { privateRefusal, requireChanges } from '../access/changeRights';
import {
  accessOver,
  requireRight,
  seeing,
  authorize,
  telling,
  type Need,
  type WorkspaceAccess,
} from '../access/workspaceAccess';
import { batches, byWords, people } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { inTransaction } from '../database/transaction';
import { notHere, Refusal, refuse } from '../base/refusal';
import type { Writing } from '../records/applyEdits';
import { restoreBatch } from '../records/sets/restore';
import { effectsOf } from '../structure/effects';
import { foreignHomes } from '../structure/plan';
import { applyStructure } from '../structure/structure';
import { constraintRefusal } from '../records/constraint';
import { seenTitles } from '../query/seenTitles';
import { progressOf } from '../database/progress';
import { raw, sql } from '../base/sql';
import { pageOf, type Listed } from '../base/listed';

interface Standing {
  readonly batch: number;
  readonly title: string;
  readonly by: string;
  readonly at: string;
}

/**
 * Undoes a batch as a batch of its own. Refused, with what stands in the way, when a later batch touched the same
 * records or built on the same structure.
 */
export async function undoBatch(pool: Pool, given: WorkspaceAccess, id: number): Promise<{ batch: number }> {
  requireRight(given, 'write');
  const homes = await homesOf(pool, given, id);
  const access = await accessOver(pool, given, homes);
  const work = async (client: Client, held: WorkspaceAccess) => {
    const now = await accessOver(client, held, homes);
    const writing: Writing = {
      client,
      access: now,
      exclusive: true,
      reportProgress: progressOf(client, now.workspace.id, { kind: 'undo', id }),
    };
    const [batch] = await catalogueOn(client)
      .select()
      .from(batches)
      .where(and(eq(batches.id, id), eq(batches.workspace, now.workspace.id)));
    if (!batch) throw notHere('batch');
    if (batch.undoneBy !== null) throw refuse(409, 'This was undone already.', 'Undo the undo to have it again.');
    await requireRights(client, now, batch);
    const standing = await laterThan(client, now, batch);
    if (standing.length > 0) throw standingRefusal(standing);
    // What an undo had undone stands again once the undo is undone.
    if (batch.kind === 'undo')
      await client.query(sql`update loom.batches set undone_by = null where undone_by = ${id}`);
    const title = `Undone: ${batch.title}`.slice(0, 300);
    await client.query(sql`delete from loom.set_aside where batch = ${id}`);
    if (batch.inverse) {
      if (batch.inverse.length > 0)
        if (isFreeOption(batch.changes ?? [])) requireRight(now, 'write');
        else await requireChanges(client, now, batch.inverse);
      const { rows } = await client.query<{ comeAndGo: boolean }>(
        sql`select exists (select from loom.history where batch = ${id} and kind <> 'changed') as "comeAndGo"`,
      );
      return applyStructure(
        writing,
        batch.inverse,
        { kind: 'undo', title, undoes: id },
        {
          // Records that came with tables of the same batch go with them.
          sets: (work) => restoreBatch(work, id, true),
          comeAndGo: rows[0]?.comeAndGo ?? true,
        },
      );
    }
    return applyStructure(
      writing,
      [],
      { kind: 'undo', title, undoes: id },
      { sets: (work) => restoreBatch(work, id, false) },
    );
  };
  try {
    const { batch } = await withWorkspace(pool, access, 'exclusive', work, { also: homes.map((home) => home.id) });
    return { batch };
  } catch (error) {
    throw constraintRefusal(access, error) ?? error;
  }
}

/**
 * The workspaces that a batch went over beside its own: those between which it moved records, and those that it would
 * link again.
 */
async function homesOf(connection: Pool | Client, { whole }: WorkspaceAccess, id: number): Promise<{ id: number }[]> {
  const { rows } = await connection.query<{ id: number }>(sql`
    with recursive of(batch) as (
      select ${id}::bigint
      union
      select b.id from of join loom.batches b on b.undone_by = of.batch
    )
    select w.id
    from of join loom.moved m using (batch), unnest(array[m.from_workspace, m.to_workspace]) w(id)
    where w.id <> ${whole.id}
    union
    select w.id
    from loom.batches b, jsonb_array_elements(b.inverse) c, loom.workspaces w, jsonb_array_elements(w.model -> 'tables') t
    where b.id = ${id} and c ->> 'do' = 'addField' and c #>> '{field,type,kind}' = 'link'
      and t ->> 'id' = c #>> '{field,type,to}' and w.id <> ${whole.id} and w.deleted_at is null
    order by 1
  `);
  return rows;
}

/** What a batch changed in other workspaces is undone by those who may change it there. */
async function requireRights(
  client: Client,
  access: WorkspaceAccess,
  { id, inverse, privateTo }: Batch,
): Promise<void> {
  const { model } = access.workspace;
  if (privateTo !== null && privateTo !== access.person.id) throw privateRefusal();
  const { rows } = await client.query<{ table: string }>(
    sql`select distinct table_id as table from loom.history where batch = ${id}`,
  );
  const least = new Map<string, Need>();
  for (const { table } of rows) {
    const home = findTable(model, table)?.home;
    if (home !== undefined) least.set(home, 'write');
  }
  for (const home of foreignHomes(model, inverse ?? [])) least.set(home, 'design');
  for (const [home, need] of least)
    await authorize(client, access.person, home, need).catch((error: unknown) => {
      if (!(error instanceof Refusal)) throw error;
      throw refuse(
        403,
        'This step also changed a linked workspace in which you may not undo it.',
        'Ask someone who may change both workspaces.',
      );
    });
}

/** A batch as the history has it. */
type Batch = typeof batches.$inferSelect;

/** Later batches that stand on this one: by the records they touched, or by what of the structure they changed. */
async function laterThan(client: Client, access: WorkspaceAccess, batch: Batch): Promise<Standing[]> {
  const found = [...(await laterOn(client, access, batch.id)), ...(await laterStructure(client, access, batch))];
  return [...new Map(found.map((one) => [one.batch, one])).values()].sort((a, b) => b.batch - a.batch);
}

/**
 * A later batch as the person may see it, `b` with who did it: of a linked workspace without them only that there is
 * one.
 */
const standingColumns = ({ workspace, person, sights, cuts }: WorkspaceAccess): string => {
  const seen = `(b.workspace = ${workspace.id} or exists (select from loom.memberships m where m.workspace = b.workspace and m.person = ${person.id}${person.limits?.workspace ? ' and false' : ''}))`;
  if (!seesEverything(sights.own) || cuts) return `b.id as batch, 'a later change' as title, 'somebody' as by, b.at`;
  const hidden = `b.private_to <> ${person.id}`;
  return `b.id as batch, b.at,
    case when ${hidden} then 'a later change' when ${seen} then b.title else 'a change in a linked workspace' end as title,
    case when ${hidden} then 'somebody' when ${seen} then ${byWords} else 'somebody there' end as by`;
};

async function laterStructure(client: Client, access: WorkspaceAccess, { id, changes }: Batch): Promise<Standing[]> {
  if (!changes || changes.length === 0) return [];
  const { workspace } = access;
  const { rows } = await client.query<Standing & { changes: readonly Change[] }>(
    sql`
      select ${raw(standingColumns(access))}, b.changes
      from loom.batches b
      left join loom.people p on p.id = b.person
      where b.workspace = any(${[workspace.id, ...workspace.peers.map((peer) => peer.id)]}) and b.id > ${id}
        and b.changes is not null and b.undone_by is null and b.kind <> 'undo'
      order by b.id desc
    `,
  );
  return rows
    .filter((later) => later.changes.some((one) => changes.some((earlier) => standsOn(one, earlier))))
    .map(({ changes: _, ...standing }) => standing);
}

function standingRefusal(standing: readonly Standing[]): Refusal {
  const titles = standing.slice(0, 3).map(({ title }) => title);
  const words = `${standing.length} later ${standing.length === 1 ? 'change stands' : 'changes stand'} on this one: ${titles.join('; ')}.`;
  return Object.assign(refuse(409, words, 'Undo those first, the latest first.'), { details: { standing } });
}

/** What an undo would do, before it is done. */
export interface UndoPlan {
  readonly batch: number;
  readonly title: string;
  /** Changes of structure with their effects, as a plan shows them. */
  readonly effects: readonly Effect[];
  /** Records by table: brought back, changed back, deleted again. */
  readonly records: readonly {
    readonly table: string;
    readonly label: string;
    readonly back: number;
    readonly changed: number;
    readonly deleted: number;
  }[];
  /** Later changes that stand in the way. */
  readonly standing: readonly Standing[];
  readonly possible: boolean;
}

/** Works out what undoing a batch would do; nothing is written. */
export async function planUndo(pool: Pool, given: WorkspaceAccess, id: number): Promise<UndoPlan> {
  requireRight(given, 'write');
  const access = telling(await accessOver(pool, given, await homesOf(pool, given, id)));
  return inTransaction(pool, 'set transaction read only', async (client) => {
    const [batch] = await catalogueOn(client)
      .select()
      .from(batches)
      .where(and(eq(batches.id, id), eq(batches.workspace, access.workspace.id)));
    if (!batch) throw notHere('batch');
    await requireRights(client, access, batch);
    const standing = batch.undoneBy === null ? await laterThan(client, access, batch) : [];
    const effects = batch.inverse ? await effectsOf(client, access, batch.inverse) : [];
    const { rows } = await client.query<{ table: string; kind: string; n: number }>(
      sql`
        select table_id as table, kind, sum(last_id - first_id + 1)::int as n
        from loom.history
        where batch = ${id}
        group by 1, 2
      `,
    );
    const count = (table: string, kind: string) => rows.find((row) => row.table === table && row.kind === kind)?.n ?? 0;
    const records = [...new Set(rows.map(({ table }) => table))].flatMap((table) => {
      const known = findTable(access.workspace.model, table);
      const counts = { back: count(table, 'deleted'), changed: count(table, 'changed'), deleted: count(table, 'made') };
      return known ? [{ table: known.key, label: known.label, ...counts }] : [];
    });
    const possible =
      batch.undoneBy === null && standing.length === 0 && effects.every(({ breaks }) => breaks.length === 0);
    const [{ title } = batch] = await seenTitles(client, seeing(given), [{ batch: id, title: batch.title }]);
    return { batch: id, title, effects, records, standing, possible };
  });
}

/** Whether changes only add words to a list that people may add to. */
const isFreeOption = (changes: readonly Change[]): boolean =>
  changes.length === 1 &&
  changes.every(
    (change) =>
      change.do === 'changeField' &&
      (change.set.type?.kind === 'option' || change.set.type?.kind === 'options') &&
      change.set.type.open === true,
  );

/**
 * Later batches, not undone, that touched records of this one. Rows of one record meet by its number, so that the
 * history of many records costs no more than reading it; only runs, which are few, are compared by where they begin and
 * end.
 */
async function laterOn(client: Client, access: WorkspaceAccess, id: number): Promise<Standing[]> {
  const concerns = `(mine.kind <> 'changed' or later.kind <> 'changed' or exists (select 1 from jsonb_object_keys(mine.after) k where later.after ? k))`;
  const { rows } = await client.query<Standing>(
    sql`
      with mine as materialized (select * from loom.history where batch = ${id}),
        later as materialized (
          select h.*
          from loom.history h
          join loom.batches b on b.id = h.batch and b.undone_by is null and b.kind <> 'undo'
          where h.batch > ${id} and h.table_id in (select table_id from mine)
        ),
        met as (
          select later.batch
          from mine
          join later on later.table_id = mine.table_id and later.first_id = mine.first_id
          where later.first_id = later.last_id and mine.first_id = mine.last_id and ${raw(concerns)}
          union
          select later.batch
          from mine
          join later on later.table_id = mine.table_id and later.first_id <= mine.last_id
            and later.last_id >= mine.first_id
          where (later.first_id <> later.last_id or mine.first_id <> mine.last_id) and ${raw(concerns)}
        )
      select ${raw(standingColumns(access))}
      from met
      join loom.batches b on b.id = met.batch
      left join loom.people p on p.id = b.person
      order by b.id desc limit 20
    `,
  );
  return rows;
}

export interface BatchOut {
  readonly id: number;
  readonly at: string;
  readonly by: string;
  readonly kind: string;
  readonly title: string;
  readonly undoneBy: number | null;
  /** Whether it changed the structure. */
  readonly structural: boolean;
}

/** Which steps of a workspace are asked for; all where nothing is said. */
export interface HistoryAsked {
  readonly table?: Table | undefined;
  readonly record?: number | undefined;
  readonly person?: number | undefined;
  /** Only those before this one. */
  readonly after?: number | undefined;
  readonly limit: number;
}

/** The newest batches of a workspace: all, or those that touched a table or one record of it, or were one person's. */
export async function readHistory(
  pool: Pool,
  access: WorkspaceAccess,
  { table, record, person, after, limit }: HistoryAsked,
): Promise<Listed<BatchOut>> {
  const touched = table
    ? catalogueSql`${batches.id} in (select h.batch from loom.history h where h.table_id = ${table.id} ${record === undefined ? catalogueSql`` : catalogueSql`and ${record} between h.first_id and h.last_id`})`
    : undefined;
  const steps = await catalogueOn(pool)
    .select({
      id: batches.id,
      at: batches.at,
      by: catalogueSql<string>`coalesce(${people.name}, 'somebody outside')`,
      kind: batches.kind,
      title: batches.title,
      undoneBy: batches.undoneBy,
      structural: isNotNull(batches.changes).mapWith(Boolean) as SQL<boolean>,
    })
    .from(batches)
    .leftJoin(people, eq(people.id, batches.person))
    .where(
      and(
        eq(batches.workspace, access.workspace.id),
        touched,
        after === undefined ? undefined : lt(batches.id, after),
        person === undefined ? undefined : person === 0 ? isNull(batches.person) : eq(batches.person, person),
      ),
    )
    .orderBy(desc(batches.id))
    .limit(limit + 1);
  return pageOf(await seenTitles(pool, access, steps), limit, ({ id }) => id);
}
