import { eq } from 'drizzle-orm';
import { carriedSplits, thatHold, withCarried, type Carried } from '$core/intake/carried';
import { propose } from '$core/intake/proposal/propose';
import { resolveDecisions } from '$core/intake/resolveDecisions';
import { fieldNames } from '$core/intake/sheets/shape';
import { ownTables } from '$core/model/model';
import { withDeclared } from '$core/intake/sheets/declared';
import { refreshAccess, type WorkspaceAccess } from '../access/workspaceAccess';
import { intakes } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { Refusal, refuse } from '../base/refusal';
import { cleanColumns } from './staged/cleanColumns';
import { confirmDeclared, confirmLinks } from './discovery/links';
import { withHeadings } from './discovery/headings';
import { confirmPairs } from './discovery/pairs';
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
import { withSplit } from './staged/splitByHand';
import { sharedThings } from './staged/sharedThings';
import { linksToSplits, splitOff } from './staged/splitOff';
import { stageFile, type StagedSheet } from './staged/stage';
import { stagedName } from './staged/stagedName';
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
  before: Carried | null = null,
): Promise<void> => inTurn(pool, id, (jobs) => readNow(jobs, access, id, files, before));

async function readNow(
  jobs: Pool,
  access: WorkspaceAccess,
  id: number,
  files: readonly SourceFile[],
  decided: Carried | null,
): Promise<void> {
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
    const standing = ownTables(access.workspace.model).map(fieldNames);
    const tables = places
      .map((file, index) => ({ ...file, index, standing }))
      .filter(({ index }) => index !== descriptor?.index);
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
      const staging = { client, access, id, opened, before, decided, reportProgress };
      const { sheets, links, model, decisions } = await stageAll(staging);
      const proposal = propose({ model, sheets, links, decisions });
      return { state: 'ready', sheets, proposal, preview: null, problem: null };
    } finally {
      for (const { reader } of opened) reader.close();
    }
  });
}

interface Staging {
  readonly client: Client;
  readonly access: WorkspaceAccess;
  readonly id: number;
  readonly opened: readonly OpenedFile[];
  /** When each file was loaded before. */
  readonly before: readonly (string | null)[];
  /** What was decided when the files were read another way. */
  readonly decided: Carried | null;
  readonly reportProgress: (phase: string, done: number) => Promise<void>;
}

async function stageAll({ client, access, id, opened, before, decided, reportProgress }: Staging) {
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
    // Reading may have taken a while, in which tables came and went.
    const now = await refreshAccess(client, access);
    const staged: StagedSheet[] = [];
    for (const [at, one] of read.entries())
      staged.push({ ...one, sheet: await withStanding(client, now, pointed[at] ?? one.sheet) });
    const split = await splitSheets(client, staged, [...declared, ...found], reportProgress);
    for (const [at, sheet] of split.sheets.entries())
      if (sheet.derived) split.sheets[at] = await withStanding(client, now, sheet);
    const { sheets, links } = decided ? await withSplitsByHand(client, now, split, decided) : split;
    links.push(...(await confirmPairs(client, sheets, links)));
    const known = await rememberedDecisions(client, now, await withHeadings(client, now, sheets));
    const wished = decided ? withCarried(known.sheets, known.decisions, decided) : known.decisions;
    // What they referred to may be gone.
    const source = { model: now.workspace.model, sheets: known.sheets, links };
    const decisions = decided ? thatHold(wished, (of) => resolveDecisions(source, of)) : wished;
    const cleaned = await cleanColumns(client, now, known.sheets, links, decisions);
    // Joins over staged rows are planned by what is known of them.
    for (const [index, sheet] of sheets.entries()) await analyze(client, sheet, joinedBy(index, sheet, links));
    await client.query('commit');
    return { ...cleaned, decisions, model: now.workspace.model };
  } catch (error) {
    await client.query('rollback').catch(() => undefined);
    throw error;
  }
}

/** A sheet with the tables that stand whose records its columns name. */
async function withStanding(client: Client, access: WorkspaceAccess, sheet: IntakeSheet): Promise<IntakeSheet> {
  const standing = await standingMatches(client, access, sheet);
  return standing.length > 0 ? { ...sheet, standing } : sheet;
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

/** The columns of a sheet that are joined by: its keys, and those of links. */
function joinedBy(index: number, { keys, wideKeys = [] }: IntakeSheet, links: readonly FoundLink[]): number[] {
  const linked = links.flatMap(({ from, to, also }) => [
    ...(from.sheet === index ? [from.column, ...(also ? [also.from] : [])] : []),
    ...(to.sheet === index ? [to.column, ...(also ? [also.to] : [])] : []),
  ]);
  return [...new Set([...keys.slice(0, 3), ...wideKeys.flat(), ...linked])];
}

/** Of all columns of a wide sheet it would take longer than what it saves. */
const analyze = (client: Client, { staged }: IntakeSheet, columns: readonly number[]) =>
  client.query(
    sql`analyze ${raw(stagedName(staged))} (${raw(['_row', ...columns.map((column) => `c${column}`)].join(', '))})`,
  );

/** With what a person split off before, as far as it can still be. */
async function withSplitsByHand(
  client: Client,
  access: WorkspaceAccess,
  split: { sheets: IntakeSheet[]; links: FoundLink[] },
  decided: Carried,
): Promise<{ sheets: IntakeSheet[]; links: FoundLink[] }> {
  let now = split;
  for (const wish of carriedSplits(split.sheets, decided))
    now = await withSplit(client, access, now.sheets, now.links, wish).catch((error: unknown) => {
      if (error instanceof Refusal) return now;
      throw error;
    });
  return now;
}

/** Splits off what sheets repeat, as tables of their own behind them, with the links to these. */
async function splitSheets(
  client: Client,
  read: readonly StagedSheet[],
  found: readonly FoundLink[],
  reportProgress: (phase: string, done: number) => Promise<void>,
): Promise<{ sheets: IntakeSheet[]; links: FoundLink[] }> {
  const sheets = read.map(({ sheet }) => sheet);
  const splits: IntakeSheet[] = [];
  for (const [index, staged] of read.entries()) {
    // What describes its tables itself is taken at its word.
    if (staged.sheet.declared?.columns) continue;
    await reportProgress(`looking at what ${staged.sheet.name} repeats`, index);
    const linked = new Set(found.flatMap(({ from }) => (from.sheet === index ? [from.column] : [])));
    const { own, made } = await splitOff(client, staged, sheets, index, linked);
    sheets[index] = await confirmWideKeys(client, own);
    splits.push(...made);
  }
  const shared = await sharedThings(client, sheets, splits, found);
  const all = [...shared.sheets, ...shared.made];
  return { sheets: all, links: [...found, ...shared.links, ...linksToSplits(all)] };
}
