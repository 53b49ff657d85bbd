import { eq } from 'drizzle-orm';
import { propose } from '$core/intake/proposal/propose';
import { withDeclared } from '$core/intake/sheets/declared';
import { refreshAccess, type WorkspaceAccess } from '../access/workspaceAccess';
import { intakes } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { cleanColumns } from './staged/cleanColumns';
import { confirmDeclared, confirmLinks, confirmPairs } from './discovery/links';
import { standingMatches } from './discovery/standing';
import { confirmKeys, confirmWideKeys, withKeysPointedAt } from './discovery/keys';
import { working } from './occupied';
import { inTurn } from './inTurn';
import { loadedBefore } from './load/loadedBefore';
import { rememberedDecisions } from './memory';
import { previewOf } from './staged/preview';
import { descriptorAmong, openFile } from './reading/reader';
import { pathOfSource } from './sources';
import type { FoundLink, IntakeSheet } from '$core/intake/intake';
import type { SourceFile } from '$core/intake/sheets/sourceFile';
import { splitOff } from './staged/splitOff';
import { stageFile, stagedName, type StagedSheet } from './staged/stage';
import type { OpenedFile } from './openedFile';
import { raw, sql } from '../base/sql';

/**
 * Reads and profiles the files of an intake, in its turn and under its lock: first a look at the beginning of each,
 * then all of it.
 */
export const readFiles = (
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  files: readonly SourceFile[],
): Promise<void> => inTurn(pool, id, (jobs) => readNow(jobs, access, id, files));

async function readNow(jobs: Pool, access: WorkspaceAccess, id: number, files: readonly SourceFile[]): Promise<void> {
  let told = 0;
  const reportProgress = async (phase: string, done: number) => {
    if (Date.now() - told < 400) return;
    told = Date.now();
    const [row] = await catalogueOn(jobs)
      .update(intakes)
      .set({ progress: { phase, done, of: null } })
      .where(eq(intakes.id, id))
      .returning({ cancel: intakes.cancelAsked });
    if (row?.cancel) throw refuse(409, 'Cancelled; nothing of it was kept.');
  };
  await working(jobs, id, 'failed', async (client) => {
    const places = files.map((file, index) => ({ ...file, path: pathOfSource(id, index) }));
    const descriptor = await descriptorAmong(places);
    const tables = places.map((file, index) => ({ ...file, index })).filter(({ index }) => index !== descriptor?.index);
    if (tables.length === 0)
      throw refuse(
        422,
        'A package was described, but its tables did not come with it.',
        'Bring in its CSV files as well.',
      );
    const opened = [];
    try {
      for (const file of tables)
        opened.push({ file, reader: await openFile(file.path, file.name, file.wish, descriptor?.described ?? null) });
      const preview = await previewOf(opened);
      await catalogueOn(jobs).update(intakes).set({ preview }).where(eq(intakes.id, id));
      const before = await loadedBefore(jobs, access, id, files);
      const { sheets, links, model, decisions } = await stageAll(client, access, id, opened, before, reportProgress);
      const proposal = propose({ model, sheets, links, decisions });
      return { state: 'ready', sheets, proposal, preview: null, problem: null };
    } finally {
      for (const { reader } of opened) reader.close();
    }
  });
}

async function stageAll(
  client: Client,
  access: WorkspaceAccess,
  id: number,
  opened: readonly OpenedFile[],
  before: readonly (string | null)[],
  reportProgress: (phase: string, done: number) => Promise<void>,
) {
  try {
    await client.query('begin');
    const read = await stageFiles(client, id, opened, before, reportProgress);
    await reportProgress('looking for links', 0);
    const own = read.map(({ sheet }) => sheet);
    const declared = await confirmDeclared(client, own);
    const isKnown = ({ sheet, column }: { sheet: number; column: number }) =>
      declared.some(({ from }) => from.sheet === sheet && from.column === column);
    const found = await confirmLinks(client, own, ({ from }) => !isKnown(from) && !own[from.sheet]?.declared?.columns);
    const pointed = withKeysPointedAt(own, found);
    const staged = read.map((one, at) => ({ ...one, sheet: pointed[at] ?? one.sheet }));
    const { sheets, links } = await splitSheets(client, staged, [...declared, ...found], reportProgress);
    links.push(...(await confirmPairs(client, sheets, links)));
    // Reading may have taken a while, in which tables came and went.
    const now = await refreshAccess(client, access);
    for (const [index, sheet] of sheets.entries()) {
      const standing = await standingMatches(client, now, sheet);
      if (standing.length > 0) sheets[index] = { ...sheet, standing };
    }
    const known = await rememberedDecisions(client, now, sheets);
    const cleaned = await cleanColumns(client, now, known.sheets, links, known.decisions);
    // Joins over staged rows are planned by what is known of them.
    for (const { staged } of sheets) await client.query(sql`analyze ${raw(stagedName(staged))}`);
    await client.query('commit');
    return { ...cleaned, decisions: known.decisions, model: now.workspace.model };
  } catch (error) {
    await client.query('rollback').catch(() => undefined);
    throw error;
  }
}

/** Reads files into staged tables, each sheet with what it says of itself. */
async function stageFiles(
  client: Client,
  id: number,
  opened: readonly OpenedFile[],
  before: readonly (string | null)[],
  reportProgress: (phase: string, done: number) => Promise<void>,
): Promise<StagedSheet[]> {
  const read: StagedSheet[] = [];
  for (const { file, reader } of opened) {
    const staged = await stageFile(client, reader, file, `s${id}_${file.index}`, (rows) =>
      reportProgress(`reading ${file.name}`, rows),
    );
    const again = before[file.index];
    const notes = again ? [`this very file was loaded before, on ${again}`] : [];
    for (const { sheet, sample } of staged) {
      const noted = { ...sheet, notes: [...notes, ...sheet.notes] };
      read.push({ sheet: withDeclared(await confirmKeys(client, noted)), sample });
    }
  }
  return read;
}

/** Splits off what sheets repeat, as tables of their own behind them, with the links to these. */
async function splitSheets(
  client: Client,
  read: readonly StagedSheet[],
  found: readonly FoundLink[],
  reportProgress: (phase: string, done: number) => Promise<void>,
): Promise<{ sheets: IntakeSheet[]; links: FoundLink[] }> {
  const sheets = read.map(({ sheet }) => sheet);
  const links = [...found];
  for (const [index, staged] of read.entries()) {
    // What describes its tables itself is taken at its word.
    if (staged.sheet.declared?.columns) continue;
    await reportProgress(`looking at what ${staged.sheet.name} repeats`, index);
    const linked = new Set(links.flatMap(({ from }) => (from.sheet === index ? [from.column] : [])));
    const split = await splitOff(client, staged, index, sheets.length, linked);
    const [own, ...derived] = split.sheets;
    links.push(...split.links);
    if (own) sheets[index] = await confirmWideKeys(client, own);
    sheets.push(...derived);
  }
  return { sheets, links };
}
