import { fieldOf, findTable, linkedTable, tableOf } from '$core/model/model';
import type {
  CameOf,
  CompareValues,
  CopyRecords,
  PointLinks,
  RemoveRecords,
  SetValues,
} from '$core/types/recordChange';
import { homeOf, schemaOf } from '../../access/workspaceState';
import { refuse } from '../../base/refusal';
import { raw, sql } from '../../base/sql';
import { countChosen, seenName, type SetWork } from '../../records/sets/chosen';
import { rememberValues } from '../../records/sets/compareValues';
import { copyRecords as copy } from '../../records/sets/copyRecords';
import type { SetDone } from '../../records/sets/outcome';
import { pointLinks as point } from '../../records/sets/pointLinks';
import { removeRecords as remove } from '../../records/sets/removeRecords';
import { setValues as set } from '../../records/sets/setValues';
import { followOn } from './columns';
import type { StoredChange, Work, Worked } from './descriptor';
import { placesOf } from './places';

const worked = ({ effects, anew, aside, counts, lookedAt }: SetDone): Worked => ({
  effects,
  anew,
  aside,
  counts,
  lookedAt,
});

/** Records that are named may be gone by now: then it is said which, and nothing is done. */
async function requireThere({ client, access }: SetWork, tableId: string, cameOf: CameOf): Promise<void> {
  if (typeof cameOf === 'string') return;
  const table = tableOf(access.workspace.model, tableId);
  const ids = [...new Set(cameOf.flat())];
  const { rows } = await client.query<{ id: number }>(sql`
    select i.id from unnest(${ids}::bigint[]) i(id)
    where not exists (select from ${raw(seenName(access, table))} t where t._id = i.id)
    order by 1 limit 1
  `);
  if (rows[0])
    throw refuse(
      409,
      `Record ${rows[0].id} of ${table.label} was deleted meanwhile.`,
      'Leave its group out, or bring the record back from History first.',
    );
}

export const copyRecords: StoredChange<CopyRecords> = {
  worksLong: () => true,
  async work(change, work: Work) {
    const done = await copy(work, change);
    const { model } = work.access.workspace;
    const table = tableOf(model, change.table);
    const places = placesOf({
      homeOf: (one) => homeOf(work.access.workspace, one),
      schemaOf: (one) => schemaOf(work.access.workspace, one),
    });
    // Numbers that were brought along are not given again.
    for (const { field: id } of change.values) {
      const { field } = fieldOf(model, id);
      if (field.type.kind === 'runningNumber') await work.client.query(followOn(field, table, places));
    }
    return worked(done);
  },
  async counts(change, { client, access }) {
    const from = findTable(access.workspace.model, change.from);
    if (!from || change.chosen.under) return {};
    const count = await countChosen(client, access, from, change.chosen);
    return { counts: [{ what: count === 1 ? 'record' : 'records', count }] };
  },
};

export const setValues: StoredChange<SetValues> = {
  worksLong: () => true,
  work: async (change, work) => worked(await set(work, change)),
};

export const pointLinks: StoredChange<PointLinks> = {
  worksLong: () => true,
  async work(change, work) {
    const target = linkedTable(work.access.workspace.model, fieldOf(work.access.workspace.model, change.link).field);
    if (target) await requireThere(work, target.table.id, change.cameOf);
    return worked(await point(work, change));
  },
};

export const removeRecords: StoredChange<RemoveRecords> = {
  async work(change, work) {
    if (change.by === undefined) await requireThere(work, change.table, change.cameOf);
    return worked(await remove(work, change));
  },
};

export const compareValues: StoredChange<CompareValues> = {
  async work(change, work) {
    await rememberValues(work, change);
    return {};
  },
};
