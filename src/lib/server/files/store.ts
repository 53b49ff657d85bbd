import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { copyFile, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { and, eq } from 'drizzle-orm';
import { fileTypeFromFile } from 'file-type';
import sharp from 'sharp';
import type { FileReference } from '$core/fieldTypes/files';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { files } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import type { UploadedFile } from './uploaded';
import { notHere, refuse } from '../base/refusal';
import { writeWhole } from './whole';
import { sql } from '../base/sql';

/** Where contents stand, each once, under their SHA-256. */
export const filesRoot = (): string => process.env.LOOM_FILES ?? join('.loom', 'files');

export const pathOf = (hash: string): string => join(filesRoot(), hash.slice(0, 2), hash);
const thumbnailOf = (hash: string, width: number): string => join(filesRoot(), 'thumbnails', `${hash}-${width}.webp`);

/** Pictures that browsers show and that hold no script; all else is only ever downloaded. */
const shownTypes: ReadonlySet<string> = new Set(['image/png', 'image/jpeg', 'image/webp', 'image/gif', 'image/avif']);
/** A picture of more pixels is not made small: its contents could be a few kilobytes that unpack to gigabytes. */
export const mostPixels = 100_000_000;

async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}

/**
 * Keeps a file that came in, and gives the reference that a field of files holds. Contents that stand already are kept
 * once.
 */
export async function keepFile(pool: Pool, access: WorkspaceAccess, upload: UploadedFile): Promise<FileReference> {
  requireRight(access, 'write');
  try {
    const { size } = await stat(upload.path);
    if (size === 0) throw refuse(422, `${upload.name} is empty.`, 'Choose another file.');
    const hash = await hashOf(upload.path);
    const type = (await fileTypeFromFile(upload.path))?.mime ?? 'application/octet-stream';
    const path = pathOf(hash);
    await writeWhole(path, (half) => copyFile(upload.path, half));
    await catalogueOn(pool)
      .insert(files)
      .values({
        workspace: access.workspace.id,
        hash,
        size,
        type,
        sentBy: access.person.id > 0 ? access.person.id : null,
      })
      .onConflictDoNothing();
    return { file: hash, name: upload.name.slice(0, 255), size, type };
  } finally {
    await rm(upload.path, { force: true });
  }
}

export interface KeptFile {
  readonly path: string;
  readonly size: number;
  readonly type: string;
  /** Whether a browser may show it, or only save it. */
  readonly shown: boolean;
}

/** A file of a workspace by its hash; what was sent to another workspace only is not there. */
export async function fileAt(pool: Pool, access: WorkspaceAccess, hash: string): Promise<KeptFile> {
  const [known] = /^[0-9a-f]{64}$/.test(hash)
    ? await catalogueOn(pool)
        .select()
        .from(files)
        .where(and(eq(files.workspace, access.workspace.id), eq(files.hash, hash)))
    : [];
  if (!known) throw notHere('file');
  return { path: pathOf(hash), size: known.size, type: known.type, shown: shownTypes.has(known.type) };
}

export const thumbnailWidths = [80, 320] as const;

/** A small picture, made once and kept; null for what is no picture. */
export async function thumbnail(
  file: KeptFile,
  hash: string,
  width: (typeof thumbnailWidths)[number],
): Promise<string | null> {
  if (!file.shown) return null;
  const path = thumbnailOf(hash, width);
  const stands = await stat(path).then(
    () => true,
    () => false,
  );
  if (stands) return path;
  try {
    const small = await sharp(file.path, { limitInputPixels: mostPixels, failOn: 'error' })
      .rotate()
      .resize({ width, height: width, fit: 'inside', withoutEnlargement: true })
      .webp({ quality: 80 })
      .toBuffer();
    await writeWhole(path, (half) => writeFile(half, small));
    return path;
  } catch {
    // Its first bytes say a picture, the rest does not.
    return null;
  }
}

/** A reference that says something else than what was sent. */
export interface FalseFile {
  readonly reference: FileReference;
  /** The type of what was sent under its name; null where nothing was. */
  readonly type: string | null;
}

/**
 * The first of these references whose contents were not sent to this workspace, or are not what it says; null when all
 * are. What a file is was found out from its contents when it came: a program’s word for it counts for nothing. One
 * statement for all.
 */
export async function falseFile(
  client: Client,
  access: WorkspaceAccess,
  references: readonly FileReference[],
): Promise<FalseFile | null> {
  if (references.length === 0) return null;
  const { rows } = await client.query<{ hash: string; type: string; size: number }>(
    sql`
      select hash, type, size
      from loom.files
      where workspace = ${access.workspace.id}
        and hash = any (${[...new Set(references.map(({ file }) => file))]})
    `,
  );
  const known = new Map(rows.map((row) => [row.hash, row]));
  for (const reference of references) {
    const sent = known.get(reference.file);
    if (!sent || sent.type !== reference.type || Number(sent.size) !== reference.size)
      return { reference, type: sent?.type ?? null };
  }
  return null;
}
