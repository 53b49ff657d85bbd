import { randomUUID } from 'node:crypto';
import { mkdir, rename, rm } from 'node:fs/promises';
import { dirname } from 'node:path';

/**
 * Writes a file that is there whole or not at all: `write` fills one of another name beside it, which takes the place
 * of `path` once it is complete. What fails on the way, such as a full disk, leaves nothing.
 */
export async function writeWhole(path: string, write: (half: string) => Promise<unknown>): Promise<void> {
  const half = `${path}.${randomUUID()}`;
  try {
    await mkdir(dirname(path), { recursive: true });
    await write(half);
    await rename(half, path);
  } catch (error) {
    await rm(half, { force: true });
    throw error;
  }
}
