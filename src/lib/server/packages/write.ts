import { createReadStream } from 'node:fs';
import { Readable } from 'node:stream';
import { to as copyTo } from 'pg-copy-streams';
import yazl from 'yazl';
import { takeTables } from '$core/templates/taken';
import { ownTables } from '$core/model/model';
import { has } from '$core/access/rights';
import { keeping, privateToOthers, seesEverything, type Sight } from '$core/parts/visible';
import type { TableId } from '$core/types/identity';
import type { Model } from '$core/types/model';
import { quoteText } from '$core/base/sql';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { storedName, type WorkspaceState } from '../access/workspaceState';
import { refuse } from '../base/refusal';
import { sql } from '../base/sql';
import type { Client, Pool } from '../database/pool';
import { asOfNow } from '../database/transaction';
import { pathOf } from '../files/store';
import { fastChecksums } from './checksum';
import { filesOf, lastNumbers, tablesAt } from './contents';
import { descriptorOf } from './descriptor';
import { packageFormat, places, type PackedStructure, type PackedWorkspace, type WrittenStructure } from './format';
import { readingSql, sheetsOf, type Sheet } from './sheets';

/** How a model is written, as the workspace of this key has it. */
export type WriteStructure = (model: Model, home: string) => Promise<WrittenStructure>;

/** What goes into a package: a model, and which workspaces it is of. */
interface Packed {
  readonly model: Model;
  /** The first one undefined: the workspace itself. */
  readonly homes: readonly (string | undefined)[];
  readonly left: readonly string[];
}

/** Whether somebody may take all of a workspace out, what it does by itself and who may do what included. */
const takesAllOut = (sight: Sight | undefined): boolean =>
  sight !== undefined &&
  sight !== 'ends' &&
  seesEverything(sight) &&
  (['takeOut', 'routines', 'people'] as const).every((right) => has(sight, right));

function withoutTables(model: Model, hidden: ReadonlySet<TableId>): Model {
  if (hidden.size === 0) return model;
  const kept = keeping(model, (_, { id }) => !hidden.has(id));
  return { ...kept, tables: kept.tables.filter(({ id }) => !hidden.has(id)) };
}

/**
 * What a person takes out whole: the workspace with those it is linked with or, where `linked` is false, without them;
 * but for what others have for themselves alone. Refused where they may not see all of it: a package without some of it
 * would be no whole.
 */
export function packedOf(access: WorkspaceAccess, linked: boolean): Packed {
  const { whole, sights, cuts } = access;
  if (!takesAllOut(sights.own) || cuts)
    throw refuse(
      403,
      'Only who may see everything here can take the whole workspace out.',
      'Take out the tables that you see, each by itself, or ask an administrator.',
    );
  const hidden = privateToOthers(whole.model, sights);
  const model = withoutTables(whole.model, hidden);
  const peers = whole.peers.map(({ key }) => key);
  if (peers.length === 0) return { model, homes: [undefined], left: [] };
  if (!linked) {
    const taken = takeTables(model, new Set(ownTables(model).map(({ id }) => id)));
    return { model: taken.model, homes: [undefined], left: taken.left };
  }
  if (!peers.every((key) => takesAllOut(sights.homes[key])))
    throw refuse(
      403,
      'This workspace is linked with others of which you may not see everything.',
      'Take it out without what leads there, or ask somebody who may see both.',
    );
  return { model, homes: [undefined, ...peers], left: [] };
}

/** A whole workspace as one archive (ZIP), as it stood in one moment. */
export async function* writePackage(
  pool: Pool,
  access: WorkspaceAccess,
  linked: boolean,
  write: WriteStructure,
): AsyncGenerator<Uint8Array, void> {
  const packed = packedOf(access, linked);
  yield* asOfNow(pool, (client) => packagePieces(client, access.whole, packed, write));
}

async function* packagePieces(
  client: Client,
  state: WorkspaceState,
  { model, homes, left }: Packed,
  write: WriteStructure,
): AsyncGenerator<Uint8Array, void> {
  const workspace = { ...state, model };
  const keyOf = (home: string | undefined) => home ?? workspace.key;
  const sheets = sheetsOf(model, keyOf);
  const workspaces: PackedWorkspace[] = [];
  for (const home of homes)
    workspaces.push({
      ...(await headOf(client, keyOf(home), tablesAt(model, home))),
      last: await lastNumbers(
        client,
        workspace,
        tablesAt(model, home).filter(({ pairs }) => !pairs),
      ),
      structure: await write(model, keyOf(home)),
    });
  const structure: PackedStructure = { package: packageFormat, workspaces, left };
  const text = JSON.stringify(structure, null, 2);
  const files = await filesOf(
    client,
    workspace,
    sheets.map(({ table }) => table),
    text,
  );
  fastChecksums();
  const zip = new yazl.ZipFile();
  const output = zip.outputStream as Readable;
  const fail = (error: Error) => output.destroy(error);
  zip.on('error', fail);
  // The same content is the same file, whenever it is written.
  const options = { mtime: new Date(Date.UTC(2000, 0, 1)), mode: 0o100644 };
  const whole = (name: string, content: string) => zip.addBuffer(Buffer.from(content, 'utf8'), name, options);
  const piece = (name: string, compressed: boolean, open: () => Readable) =>
    zip.addReadStreamLazy(
      name,
      { ...options, ...(compressed ? { compressionLevel: 1 } : { compress: false }) },
      (take) => {
        const stream = open();
        stream.on('error', fail);
        take(null, stream);
      },
    );
  whole(places.descriptor, JSON.stringify(descriptorOf(workspaces, sheets, files), null, 2));
  whole(places.structure, text);
  const emails = await emailsOf(client);
  for (const sheet of sheets)
    piece(places.data(sheet.name), true, () =>
      copied(client, readingSql(sheet, storedName(workspace, sheet.table), emails)),
    );
  piece(places.aside, true, () => copied(client, asideSql(sheets, workspace, homes)));
  for (const { hash } of files)
    piece(places.file(hash), false, () => createReadStream(pathOf(hash), { highWaterMark: 1024 * 1024 }));
  zip.end();
  for await (const chunk of output as AsyncIterable<Buffer>) yield chunk;
}

const copied = (client: Client, statement: string): Readable =>
  client.query(copyTo(`copy (${statement}) to stdout (format csv, header)`));

async function emailsOf(client: Client): Promise<ReadonlyMap<number, string>> {
  const { rows } = await client.query<{ id: number; email: string }>(sql`select id, email from loom.people`);
  return new Map(rows.map(({ id, email }) => [id, email]));
}

/** What is open of what was set aside, by keys; its columns are `asideColumns`. */
function asideSql(sheets: readonly Sheet[], workspace: WorkspaceState, homes: readonly (string | undefined)[]): string {
  const fields = sheets.flatMap(({ home, table }) =>
    table.fields.map(
      ({ id, key }) => `(${[home, table.id, table.key, id, key].map((text) => quoteText(text)).join(', ')})`,
    ),
  );
  const ids = [workspace.id, ...workspace.peers.filter(({ key }) => homes.includes(key)).map(({ id }) => id)];
  return `select k.workspace, k."table", a.record_id as record, k.field, a.text, a.reason
    from loom.open_set_aside a
    join (values ${fields.length > 0 ? fields.join(', ') : `('', '', '', '', '')`}) k(workspace, table_id, "table", field_id, field)
      on k.table_id = a.table_id and k.field_id = a.field_id
    where a.workspace in (${ids.join(', ')})
    order by k.workspace, k."table", a.record_id, k.field, a.text, a.reason`;
}

/** What a workspace is called, and how it looks. */
async function headOf(
  client: Client,
  key: string,
  tables: readonly { readonly id: string; readonly key: string }[],
): Promise<Omit<PackedWorkspace, 'structure' | 'last'>> {
  const { rows } = await client.query<
    Omit<PackedWorkspace, 'weave' | 'structure' | 'last'> & { weave: Record<string, { x: number; y: number } | null> }
  >(sql`select key, label, description, zone, dye, icon, weave from loom.workspaces where key = ${key}`);
  const [row] = rows;
  if (!row) throw refuse(404, 'A workspace was deleted while it was taken out.');
  const places = tables.flatMap((table) => {
    const place = row.weave[table.id];
    return place ? [[table.key, place] as const] : [];
  });
  return { ...row, weave: Object.fromEntries(places) };
}

/** How much a package of this workspace would hold. */
export interface PackageLook {
  readonly workspaces: readonly string[];
  readonly tables: number;
  readonly files: number;
  /** Of the files, in bytes. */
  readonly bytes: number;
  readonly left: readonly string[];
}

export async function lookAtPackage(pool: Pool, access: WorkspaceAccess, linked: boolean): Promise<PackageLook> {
  const { model, homes, left } = packedOf(access, linked);
  const client = await pool.connect();
  try {
    const workspace = { ...access.whole, model };
    const files = await filesOf(client, workspace, model.tables, JSON.stringify(model));
    const { rows } = await client.query<{ label: string }>(
      sql`select label from loom.workspaces where key = any(${homes.map((home) => home ?? workspace.key)}) order by label`,
    );
    return {
      workspaces: rows.map(({ label }) => label),
      tables: model.tables.filter(({ pairs }) => !pairs).length,
      files: files.length,
      bytes: files.reduce((sum, { size }) => sum + size, 0),
      left,
    };
  } finally {
    client.release();
  }
}
