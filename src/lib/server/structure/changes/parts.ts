import { sourcesInto } from '$core/flow/feeds';
import { counted } from '$core/base/counted';
import { findField, findTable, tableOf } from '$core/model/model';
import type { TableId } from '$core/types/identity';
import type { AddPart, ChangePart } from '$core/types/change';
import { tableSql, type WorkspaceState } from '../../access/workspaceState';
import { refuse } from '../../base/refusal';
import { empty, identifier, join, raw, sql } from '../../base/sql';
import type { Client } from '../../database/pool';
import type { Following, WriteDone } from '../../records/edits';
import { feedCounts, fillFeed } from '../../records/feedRecords';
import { keepRoutine } from '../../records/routines/keeping';
import { takeOutWhere, together } from '../../records/writeEdits';
import { attempt } from './counting';
import type { StoredChange } from './descriptor';

/** Of a feed it is worked out anew which records there are; of a routine it is kept who may run it. */
const ofFeeds: Required<Pick<StoredChange<AddPart | ChangePart>, 'counts' | 'work'>> = {
  async counts({ kind, table }, { client, access, after }) {
    if (kind !== 'feed') return {};
    const counts: { what: string; count: number }[] = [];
    for (const source of sourcesInto(after, table)) {
      const stands = findField(access.workspace.model, source.link.id) !== undefined;
      // What the same plan makes is not there to be counted yet.
      const { come, leave } = await attempt(
        client,
        () => feedCounts(client, { ...access.workspace, model: after }, source, stands),
        { come: 0, leave: 0 },
      );
      const from = source.source.label;
      if (come > 0)
        counts.push({ what: come === 1 ? `record of ${from} comes in` : `records of ${from} come in`, count: come });
      if (leave > 0)
        counts.push({ what: leave === 1 ? `record of ${from} leaves` : `records of ${from} leave`, count: leave });
    }
    return { counts };
  },
  async work(change, { client, access, before, fresh }) {
    if (change.kind === 'routine')
      await keepRoutine(client, access, tableOf(access.workspace.model, change.table), change.part);
    if (change.kind !== 'feed') return {};
    const { workspace } = access;
    const run: Following = { client, access, workspace, exclusive: true };
    const now = sourcesInto(workspace.model, change.table);
    const anew = now.map(({ link }) => link.id);
    if (change.do === 'changePart') {
      const kept = new Set(anew);
      const left = sourcesInto(before, change.table).filter(({ link }) => !kept.has(link.id));
      // Unless they stand for records of another source by now, those of sources that it no longer has leave it.
      const others = now.map(({ link }) => sql`and f.${identifier(link.key)} is null`);
      const done: WriteDone[] = [];
      for (const source of left) {
        const where = sql`f.${identifier(source.link.key)} is not null ${join([empty, ...others], ' ')}`;
        done.push(await takeOutWhere(run, source, where));
      }
      return { ...together(done), anew };
    }
    await requireSources(client, workspace, change.table);
    if (await hasRecords(client, workspace, change.table)) {
      // It comes back from the bin: records whose sources were deleted meanwhile leave it.
      const done: WriteDone[] = [];
      for (const source of now) {
        const link = sql`f.${identifier(source.link.key)}`;
        const isThere = sql`exists (select from ${tableSql(workspace, source.source)} s where s._id = ${link})`;
        done.push(await takeOutWhere(run, source, sql`${link} is not null and not ${isThere}`));
      }
      return { ...together(done), anew };
    }
    // A table that the same changes made: nothing outside it reads what it has yet.
    const isNew = findTable(before, change.table)?.fields.every(
      ({ id, type }) => fresh.has(id) || type.kind === 'counterpart',
    );
    if (!isNew) return { anew };
    for (const source of now) await fillFeed(run, source, true);
    return {};
  },
};

async function hasRecords(client: Client, workspace: WorkspaceState, id: TableId): Promise<boolean> {
  const { rowCount } = await client.query(
    sql`select from ${tableSql(workspace, tableOf(workspace.model, id))} limit 1`,
  );
  return rowCount !== 0;
}

/** A table that is to be fed has no records but those of its sources. */
async function requireSources(client: Client, workspace: WorkspaceState, id: TableId): Promise<void> {
  const table = tableOf(workspace.model, id);
  const linked = sourcesInto(workspace.model, id).map(({ link }) => sql`${identifier(link.key)} is not null`);
  const { rows } = await client.query<{ n: number }>(sql`
    select count(*)::int as n from ${tableSql(workspace, table)}
    where not (${linked.length > 0 ? join(linked, ' or ') : raw('false')})
  `);
  const count = rows[0]?.n ?? 0;
  if (count > 0)
    throw refuse(
      409,
      `${counted(count, 'record')} of ${table.label} ${count === 1 ? 'stands' : 'stand'} for no record of a source.`,
      'Delete them first, or feed another table.',
    );
}

export const addPart: StoredChange<AddPart> = ofFeeds;
export const changePart: StoredChange<ChangePart> = ofFeeds;
