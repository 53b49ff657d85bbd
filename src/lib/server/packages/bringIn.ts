import { eq } from 'drizzle-orm';
import type { HomedChange } from '$core/changes/homed';
import { accessOver, acting, authorize, type Person, type WorkspaceAccess } from '../access/workspaceAccess';
import { withWorkspace } from '../access/lock';
import { freeKey } from '$core/base/key';
import { workspaces, type PackageProgress } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { allCalculated } from '../calculation/calculatedFields';
import { constraintRefusal } from '../records/constraint';
import type { HistoryRow } from '../records/edits';
import { recalculate } from '../records/recalculate';
import { recordBatch } from '../records/recordBatch';
import { keepTruth } from '../records/routines/triggered';
import { keepIndexes } from '../structure/standingIndexes';
import { changeStructure, type StructureChange } from '../structure/structure';
import { dropWorkspace, makeWorkspace } from '../workspaces/workspaces';
import { sql } from '../base/sql';
import { valueTypeOf } from '$core/model/model';
import type { PackedFile } from './descriptor';
import { keepFiles } from './files';
import type { PackedStructure } from './format';
import type { OpenPackage } from './open';
import { loadAside, loadSheet, setLastNumbers, stageFiles } from './load';
import { sheetsOf, type Sheet } from './sheets';

/** The changes that build the workspaces of a package, by their keys in it; and what could not be kept, in words. */
export type BuildStructure = (structure: PackedStructure) => Promise<{
  readonly changes: readonly HomedChange[];
  readonly notes: readonly string[];
}>;

/** Says how far it is; throws where it is to stop. */
type Report = (phase: PackageProgress['phase'], done: number, of: number) => Promise<void>;

export interface BroughtIn {
  /** The keys of the workspaces that were made. */
  readonly workspaces: readonly string[];
  readonly records: number;
  readonly notes: readonly string[];
}

/** A workspace of a package, and what it became. */
interface Made {
  /** Its key in the package. */
  readonly was: string;
  readonly id: number;
  readonly key: string;
}

/**
 * Brings a package in: its workspaces are made anew, with all that they held, in one transaction. What hinders it leaves
 * nothing. Nothing is set off, and nobody is written to.
 */
export async function bringPackageIn(
  pool: Pool,
  person: Person,
  { archive, structure, files }: OpenPackage,
  name: string,
  build: BuildStructure,
  report: Report,
): Promise<BroughtIn> {
  const { changes, notes } = await build(structure);
  // Files are kept while records are loaded: the one waits for the disk, the other for the database.
  const kept = keepFiles(archive, files);
  kept.catch(() => undefined);
  const made: Made[] = [];
  try {
    for (const { key, label, description, zone } of structure.workspaces)
      made.push({ was: key, ...(await makeFree(pool, person, { key, label, description, zone })) });
    const [first] = made;
    if (!first) return { workspaces: [], records: 0, notes };
    const access = await authorize(pool, person, first.key, 'design');
    const loaded = await withWorkspace(
      pool,
      access,
      'exclusive',
      (client, held) => loading(client, held, made, { archive, structure }, kept, name, changes, report),
      { also: made.map(({ id }) => id) },
    );
    for (const { key } of made) void keepIndexes(pool, await authorize(pool, person, key, 'see'));
    return { workspaces: made.map(({ key }) => key), records: loaded.records, notes: [...notes, ...loaded.notes] };
  } catch (error) {
    // What still reads the archive ends before it is closed.
    await kept.catch(() => undefined);
    for (const one of made) await dropWorkspace(pool, one);
    throw error;
  }
}

/** Makes a workspace under its key or, where that is taken, under one like it. */
async function makeFree(
  pool: Pool,
  person: Person,
  wish: { readonly key: string; readonly label: string; readonly description: string; readonly zone: string },
): Promise<{ id: number; key: string }> {
  const { rows } = await pool.query<{ name: string }>(sql`select nspname as name from pg_namespace`);
  const key = freeKey(wish.key, new Set(rows.map(({ name }) => name)));
  const made = await makeWorkspace(pool, person, { ...wish, key });
  // Nobody sees it before it is there; where its making is cut off, it goes by itself as previews do.
  await catalogueOn(pool)
    .update(workspaces)
    .set({ preview: '', previewedAt: new Date(Date.now() + 86_400_000).toISOString() })
    .where(eq(workspaces.id, made.id));
  return made;
}

async function loading(
  client: Client,
  held: WorkspaceAccess,
  made: readonly Made[],
  { archive, structure }: Pick<OpenPackage, 'archive' | 'structure'>,
  files: Promise<readonly PackedFile[]>,
  name: string,
  changes: readonly HomedChange[],
  report: Report,
): Promise<{ readonly records: number; readonly notes: readonly string[] }> {
  const over = async (was: string): Promise<WorkspaceAccess> => {
    const key = made.find((one) => one.was === was)?.key ?? '';
    const wide = acting(await accessOver(client, await authorize(client, held.person, key, 'see'), made));
    const whole = { ...wide.whole, uncommitted: true as const };
    return { ...wide, workspace: whole, whole };
  };
  const built = await buildAll(client, over, changes, (done) => report('structure', done, changes.length));
  const access = await over(made[0]?.was ?? '');
  const { workspace } = access;
  const keyOf = (home: string | undefined) => made.find(({ key }) => key === (home ?? workspace.key))?.was ?? '';
  const sheets = sheetsOf(workspace.model, keyOf);
  const notes: string[] = [];
  const history = new Map<string, HistoryRow[]>();
  let records = 0;
  let staged = false;
  const requireFiles = async () => {
    if (staged) return;
    await report('files', 0, 1);
    await stageFiles(client, await files);
    staged = true;
  };
  const holdsFiles = ({ columns }: Sheet) => columns.some(({ field }) => valueTypeOf(field).is === 'files');
  const ordered = [...sheets.filter((sheet) => !holdsFiles(sheet)), ...sheets.filter(holdsFiles)];
  try {
    for (const [index, sheet] of ordered.entries()) {
      await report('records', index, sheets.length);
      if (holdsFiles(sheet)) await requireFiles();
      const loaded = await loadSheet(client, access, sheet, archive);
      records += loaded.records;
      notes.push(...loaded.notes);
      history.set(sheet.home, [...(history.get(sheet.home) ?? []), ...loaded.history]);
    }
    await requireFiles();
    const rules = built.flatMap(({ structure: { rules: statements } }) => statements);
    for (const [index, statement] of rules.entries()) {
      await report('rules', index, rules.length);
      await client.query(statement);
    }
  } catch (error) {
    throw constraintRefusal(access, error) ?? error;
  }
  await report('calculation', 0, 1);
  const run = { client, access, workspace, exclusive: true, anew: allCalculated(workspace.model) };
  const fields = workspace.model.tables.flatMap((table) => table.fields.map(({ id }) => id));
  const { history: followed } = await recalculate(run, [
    ...built.flatMap(({ structure: { effects } }) => effects),
    { changed: fields.map((field) => [field, 'all'] as const) },
  ]);
  await keepTruth(run, null);
  for (const { was, id } of made) {
    const own = await over(was);
    const parts = built.filter(({ home }) => home === was);
    const { batch } = await recordBatch(
      { client, access: own },
      {
        kind: 'load',
        title: `Package ${name}`.slice(0, 300),
        changes: parts.flatMap(({ changes: of }) => of),
        inverse: parts.toReversed().flatMap(({ structure: { inverse } }) => inverse),
      },
      [...(history.get(was) ?? []), ...(was === made[0]?.was ? followed : [])],
      own.workspace.model.tables.filter(({ home }) => home === undefined).map(({ id: table }) => table),
    );
    if (was === made[0]?.was) notes.push(...(await loadAside(client, access, sheets, archive, batch)));
    await settleWorkspace(client, own, structure, was, id);
    await parts.at(-1)?.structure.finish();
  }
  await setLastNumbers(client, access, structure, keyOf);
  return { records, notes };
}

interface Built {
  readonly home: string;
  readonly changes: readonly HomedChange['change'][];
  readonly structure: StructureChange;
}

/** Applies changes of several workspaces in their order, as many at once as are of the same one. */
async function buildAll(
  client: Client,
  over: (was: string) => Promise<WorkspaceAccess>,
  changes: readonly HomedChange[],
  report: (done: number) => Promise<void>,
): Promise<Built[]> {
  const built: Built[] = [];
  for (let at = 0; at < changes.length;) {
    await report(at);
    const home = changes[at]?.home ?? '';
    const end = changes.findIndex((one, index) => index > at && one.home !== home);
    const own = changes.slice(at, end < 0 ? undefined : end).map(({ change }) => change);
    const structure = await changeStructure({ client, access: await over(home), exclusive: true }, own, {
      inPlace: true,
    });
    built.push({ home, changes: own, structure });
    at += own.length;
  }
  return built;
}

/** What a workspace has beside its structure: how it looks, and where its tables stand in Weave. */
async function settleWorkspace(
  client: Client,
  { workspace }: WorkspaceAccess,
  { workspaces }: PackedStructure,
  was: string,
  id: number,
): Promise<void> {
  const packed = workspaces.find(({ key }) => key === was);
  if (!packed) return;
  const weave = Object.fromEntries(
    workspace.model.tables.flatMap(({ id: table, key, home }) => {
      const place = home === undefined ? packed.weave[key] : undefined;
      return place ? [[table, place] as const] : [];
    }),
  );
  await client.query(sql`
    update loom.workspaces
    set dye = ${packed.dye}, icon = ${packed.icon}, weave = ${JSON.stringify(weave)}::jsonb,
      preview = null, previewed_at = null
    where id = ${id}
  `);
  // What documents show is named by the structure alone.
  await client.query(sql`
    insert into loom.files (workspace, hash, size, type)
    select ${id}::int, hash, size, type from package_files
    where hash = any(${JSON.stringify(packed.structure).match(/\b[0-9a-f]{64}\b/g) ?? []})
    on conflict do nothing
  `);
}
