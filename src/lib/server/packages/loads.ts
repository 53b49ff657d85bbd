import { rm } from 'node:fs/promises';
import { and, desc, eq } from 'drizzle-orm';
import pLimit, { type LimitFunction } from 'p-limit';
import { requireUnlimited } from '../access/limits';
import type { Person } from '../access/workspaceAccess';
import { log } from '../base/log';
import { notHere, refuse, Refusal } from '../base/refusal';
import { packageLoads, type PackageProgress, type PackageState } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import type { UploadedFile } from '../files/uploaded';
import { bringPackageIn, type BuildStructure } from './bringIn';
import { openPackage } from './open';

/** A package that is brought in, as whoever sent it sees it. */
export interface PackageLoad {
  readonly id: number;
  readonly name: string;
  readonly state: PackageState;
  readonly progress: PackageProgress | null;
  readonly problem: string | null;
  readonly workspaces: readonly string[];
  readonly records: number;
  readonly notes: readonly string[];
  readonly at: string;
}

/** In milliseconds: how often whoever works says so, and after how long of silence nobody works any more. */
const saidEvery = 5_000;
const silent = 60_000;
/** In milliseconds: how often it is looked whether it is to stop. */
const askedEvery = 300;

/** One package is brought in at once in a process; the others wait. */
const turns = new WeakMap<Pool, LimitFunction>();

const columns = {
  id: packageLoads.id,
  name: packageLoads.name,
  state: packageLoads.state,
  progress: packageLoads.progress,
  problem: packageLoads.problem,
  workspaces: packageLoads.workspaces,
  records: packageLoads.records,
  notes: packageLoads.notes,
  at: packageLoads.at,
};

/** Begins to bring a package in, and answers at once; the file goes when it is done. */
export async function beginPackage(
  pool: Pool,
  person: Person,
  file: UploadedFile,
  build: BuildStructure,
): Promise<PackageLoad> {
  try {
    requireUnlimited(person);
    const [made] = await catalogueOn(pool)
      .insert(packageLoads)
      .values({ person: person.id, name: file.name.slice(0, 255) })
      .returning(columns);
    if (!made) throw notHere('package');
    const turn = turns.get(pool) ?? pLimit(1);
    turns.set(pool, turn);
    // From here on it says that it is in hand, waiting for its turn too.
    const alive = setInterval(() => void sayAlive(pool, made.id), saidEvery);
    turn(() => working(pool, person, made, file, build))
      .catch((error: unknown) => log.incident(error))
      .finally(() => clearInterval(alive));
    return made;
  } catch (error) {
    await rm(file.path, { force: true });
    throw error;
  }
}

async function sayAlive(pool: Pool, id: number): Promise<void> {
  await catalogueOn(pool)
    .update(packageLoads)
    .set({ saidAt: new Date().toISOString() })
    .where(eq(packageLoads.id, id))
    .catch((error: unknown) => log.incident(error));
}

async function working(
  pool: Pool,
  person: Person,
  { id, name }: PackageLoad,
  file: UploadedFile,
  build: BuildStructure,
): Promise<void> {
  const db = catalogueOn(pool);
  const write = (set: Partial<typeof packageLoads.$inferInsert>) =>
    db
      .update(packageLoads)
      .set({ ...set, saidAt: new Date().toISOString() })
      .where(eq(packageLoads.id, id))
      .returning({ cancel: packageLoads.cancelAsked });
  let asked = 0;
  const report = async (phase: PackageProgress['phase'], done: number, of: number) => {
    if (done > 0 && Date.now() - asked < askedEvery) return;
    asked = Date.now();
    const [row] = await write({ progress: { phase, done, of } });
    if (row?.cancel) throw refuse(409, 'Cancelled; nothing of it was kept.');
  };
  try {
    const open = await openPackage(file.path, name);
    try {
      const done = await bringPackageIn(pool, person, open, name, build, report);
      await write({
        state: 'done',
        progress: null,
        workspaces: [...done.workspaces],
        records: done.records,
        notes: done.notes.slice(0, 200),
      });
    } finally {
      open.archive.close();
    }
  } catch (error) {
    const problem =
      error instanceof Refusal
        ? [error.problem.message, error.problem.fix].filter(Boolean).join(' ')
        : `The work was cut off, and nothing of it was kept (${log.incident(error)}). Bring the package in again.`;
    await write({ state: 'failed', progress: null, problem });
  } finally {
    await rm(file.path, { force: true });
  }
}

/** The packages that somebody brought in last, the newest first. */
export async function packageLoadsOf(pool: Pool, person: Person): Promise<PackageLoad[]> {
  return catalogueOn(pool)
    .select(columns)
    .from(packageLoads)
    .where(eq(packageLoads.person, person.id))
    .orderBy(desc(packageLoads.id))
    .limit(10);
}

/** A package as it stands; one of which nobody says any more that they work on it was cut off. */
export async function packageLoadAt(pool: Pool, person: Person, id: number): Promise<PackageLoad> {
  const own = and(eq(packageLoads.id, id), eq(packageLoads.person, person.id));
  const [row] = await catalogueOn(pool)
    .select({ ...columns, saidAt: packageLoads.saidAt })
    .from(packageLoads)
    .where(own);
  if (!row) throw notHere('package');
  const { saidAt, ...load } = row;
  if (load.state !== 'working' || Date.now() - Date.parse(saidAt) < silent) return load;
  const problem = 'The work was cut off, and nothing of it was kept. Bring the package in again.';
  const [ended] = await catalogueOn(pool)
    .update(packageLoads)
    .set({ state: 'failed', problem, progress: null })
    .where(and(own, eq(packageLoads.state, 'working'), eq(packageLoads.saidAt, saidAt)))
    .returning(columns);
  return ended ?? load;
}

/** Asks that a package is brought in no further. */
export async function cancelPackage(pool: Pool, person: Person, id: number): Promise<PackageLoad> {
  await catalogueOn(pool)
    .update(packageLoads)
    .set({ cancelAsked: true })
    .where(and(eq(packageLoads.id, id), eq(packageLoads.person, person.id)));
  return packageLoadAt(pool, person, id);
}
