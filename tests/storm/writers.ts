import type { WorkspaceAccess } from '../../src/lib/server/access/workspaceAccess';
import type { Pool } from '../../src/lib/server/database/pool';
import { Refusal } from '../../src/lib/server/base/refusal';
import { writeRecords } from '../../src/lib/server/entry/write';
import type { RecordEdits } from '../../src/lib/server/entry/edits';

export interface StormTold {
  readonly done: number;
  /** Refusals by their words, numbers as n. */
  readonly refused: Readonly<Record<string, number>>;
  /** What is neither done nor a clash with what another writer did. */
  readonly faults: readonly string[];
}

/** A clash of versions, or a record that another writer deleted in between; anything else is a fault. */
const isClash = (error: unknown): error is Refusal =>
  error instanceof Refusal &&
  (error.status === 409 || /is not there|deleted meanwhile|which some records? point/.test(error.message));

/** How much longer a slow machine may take. */
const mostSeconds = 40;

/**
 * So many writers edit, move, make and delete records on the same few parents until the time is over and so many writes
 * are done.
 */
export async function storm(
  pool: Pool,
  access: WorkspaceAccess,
  writers: number,
  seconds: number,
  writes = 0,
): Promise<StormTold> {
  const began = Date.now();
  const isOver = () =>
    Date.now() > began + seconds * 1000 && (done >= writes || Date.now() > began + mostSeconds * 1000);
  const schema = access.workspace.key;
  let done = 0;
  const refused: Record<string, number> = {};
  const faults: string[] = [];
  async function ids(table: string): Promise<{ id: number; version: number }[]> {
    const { rows } = await pool.query<{ id: number; version: number }>(
      `select _id as id, _version as version from ${schema}.${table} order by random() limit 3`,
    );
    return rows;
  }
  async function edit(): Promise<[string, RecordEdits]> {
    const chance = Math.random();
    const [inspection, hive, apiary, keeper] = [
      await ids('inspections'),
      await ids('hives'),
      await ids('apiaries'),
      await ids('keepers'),
    ];
    const day = `2026-0${1 + Math.floor(Math.random() * 9)}-1${Math.floor(Math.random() * 9)}`;
    const [h, a, k] = [hive[0]?.id ?? null, apiary[0]?.id ?? null, keeper[0]?.id ?? null];
    if (chance < 0.4)
      return [
        'inspections',
        { update: inspection.map((one) => ({ ...one, values: { frames: Math.floor(Math.random() * 12), day } })) },
      ];
    if (chance < 0.55)
      return ['inspections', { insert: hive.map(({ id }) => ({ values: { hive: id, day, frames: 3 } })) }];
    if (chance < 0.65)
      return ['inspections', { update: inspection.slice(0, 1).map(({ id }) => ({ id, values: { hive: h } })) }];
    if (chance < 0.75) return ['inspections', { remove: inspection.slice(0, 2).map(({ id }) => id) }];
    if (chance < 0.83) return ['hives', { update: hive.slice(0, 2).map(({ id }) => ({ id, values: { apiary: a } })) }];
    if (chance < 0.88)
      return [
        'apiaries',
        { update: apiary.slice(0, 1).map(({ id }) => ({ id, values: { steward: k, name: `A-${Math.random()}` } })) },
      ];
    if (chance < 0.95)
      return [
        'keepers',
        {
          update: keeper
            .slice(0, 1)
            .map(({ id }) => ({ id, values: { name: `K-${Math.random()}`, mentor: keeper[1]?.id ?? null } })),
        },
      ];
    return Math.random() < 0.5
      ? ['hives', { insert: [{ values: { number: 'new', apiary: a } }] }]
      : ['hives', { remove: hive.length > 2 ? hive.slice(0, 1).map(({ id }) => id) : [] }];
  }
  async function writer(): Promise<void> {
    while (!isOver()) {
      try {
        const [table, edits] = await edit();
        await writeRecords(pool, access, table, edits);
        done++;
      } catch (error) {
        const words = (error as Error).message.replace(/\d+/g, 'n');
        if (isClash(error)) refused[words] = (refused[words] ?? 0) + 1;
        else faults.push(words);
      }
    }
  }
  await Promise.all(Array.from({ length: writers }, writer));
  return { done, refused, faults };
}
