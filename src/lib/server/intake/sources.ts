import { copyFile, mkdir, rename, rm } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { writeWhole } from '../files/whole';
import type { UploadedFile } from '../files/uploaded';
import type { SourceFile } from '$core/intake/sheets/sourceFile';

const folderOf = (intake: number): string =>
  join(process.env.LOOM_FILES ?? join('.loom', 'files'), 'intakes', String(intake));

/** Where a file of an intake stands until the intake is discarded: it can be read again another way. */
export const pathOfSource = (intake: number, index: number): string => join(folderOf(intake), String(index));

/** A name to show and to make a table's label from: no folders, no control characters. */
const safeName = (name: string): string =>
  basename(name.replaceAll('\\', '/'))
    .replace(/\p{Cc}/gu, '')
    .replace(/^\.+/, '')
    .slice(0, 100) || 'file.csv';

/** Takes uploads over into the intake's keeping, all of them or none. */
export async function keepSources(intake: number, uploads: readonly UploadedFile[]): Promise<SourceFile[]> {
  try {
    await mkdir(folderOf(intake), { recursive: true });
    for (const [index, { path }] of uploads.entries()) await take(path, pathOfSource(intake, index));
  } catch (error) {
    await Promise.all(uploads.map(({ path }) => rm(path, { force: true })));
    await removeSources(intake);
    throw error;
  }
  return uploads.map(({ name }) => ({ name: safeName(name), wish: {} }));
}

async function take(path: string, place: string): Promise<void> {
  try {
    await rename(path, place);
  } catch {
    // Another file system cannot be moved to.
    await writeWhole(place, (half) => copyFile(path, half));
    await rm(path, { force: true });
  }
}

export const removeSources = (intake: number): Promise<void> => rm(folderOf(intake), { recursive: true, force: true });
