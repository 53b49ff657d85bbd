import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll } from 'vitest';
import { authorize, type Person, type WorkspaceAccess } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { beginIntake, readAgain, readIntake } from '$server/intake/intakes';
import { startLoad } from '$server/intake/load/loading';
import type { ReadingWish } from '$core/intake/intake';
import { freshDatabase, makePerson, makeAccess } from './database';

/** A database with workspaces that files are brought into, as the tests of intake share it. */
export function intaking(name: string) {
  const place = {} as { pool: Pool; access: WorkspaceAccess; ida: Person };
  const folder = mkdtempSync(join(tmpdir(), 'loom-test-'));
  let drop: () => Promise<void>;
  let files = 0;
  let labels = 0;
  beforeAll(async () => {
    const made = await freshDatabase(name);
    place.pool = made.pool;
    drop = made.drop;
    place.ida = await makePerson(made.pool, 'Ida');
  });
  afterAll(() => drop());

  const newAccess = async () => (place.access = await makeAccess(place.pool, place.ida, `Intake ${++labels}`));
  const again = async () =>
    (place.access = await authorize(place.pool, place.ida, String(place.access.workspace.id), 'design'));
  async function until(id: number, done: (state: string) => boolean) {
    for (let tries = 0; tries < 400; tries++) {
      const intake = await readIntake(place.pool, place.access, id);
      if (done(intake.state)) return intake;
      await new Promise((resolve) => setTimeout(resolve, 25));
    }
    throw new Error('the intake did not end');
  }
  async function bring(...contents: { name: string; bytes: Buffer | string }[]) {
    const uploads = contents.map(({ name: file, bytes }) => {
      const path = join(folder, String(++files));
      writeFileSync(path, bytes);
      return { name: file, path };
    });
    const { id } = await beginIntake(place.pool, place.access, uploads);
    return until(id, (state) => state !== 'reading');
  }
  /** Reads one of the files another way. */
  async function readSo(id: number, file: number, wish: ReadingWish) {
    await readAgain(place.pool, place.access, id, file, wish);
    return until(id, (state) => state !== 'reading');
  }
  const load = async (id: number) => {
    await startLoad(place.pool, place.access, id);
    const intake = await until(id, (state) => state !== 'loading');
    await again();
    return intake;
  };
  const stored = async (table: string, columns: string, order = '_id') =>
    (await place.pool.query(`select ${columns} from "${place.access.workspace.key}"."${table}" order by ${order}`))
      .rows as Record<string, unknown>[];
  return { place, newAccess, again, until, bring, load, readSo, stored };
}

/** The words in which something is refused. */
export const refusalOf = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'nothing was refused',
    (error: unknown) => (error as Error).message,
  );
