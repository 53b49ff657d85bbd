import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { strFromU8, unzipSync } from 'fflate';
import { authorize, type Person } from '$server/access/workspaceAccess';
import { structureReader, structureWriter } from '$server/api/packages/structureText';
import type { Pool } from '$server/database/pool';
import { bringPackageIn, type BroughtIn } from '$server/packages/bringIn';
import { openPackage } from '$server/packages/open';
import { writePackage } from '$server/packages/write';

/** The bytes of the package of a workspace. */
export async function packageOf(pool: Pool, person: Person, key: string, linked = true): Promise<Buffer> {
  const access = await authorize(pool, person, key, 'takeOut');
  const pieces: Uint8Array[] = [];
  for await (const piece of writePackage(pool, access, linked, await structureWriter(pool, key))) pieces.push(piece);
  return Buffer.concat(pieces);
}

/** Brings a package in, as its endpoint does. */
export async function broughtIn(pool: Pool, person: Person, bytes: Uint8Array): Promise<BroughtIn> {
  const folder = await mkdtemp(join(tmpdir(), 'loom-package-'));
  try {
    const path = join(folder, 'package.zip');
    await writeFile(path, bytes);
    const open = await openPackage(path, 'package.zip');
    try {
      return await bringPackageIn(pool, person, open, 'package.zip', structureReader(pool, person), () =>
        Promise.resolve(),
      );
    } finally {
      open.archive.close();
    }
  } finally {
    await rm(folder, { recursive: true });
  }
}

/** What is in a package, file by file, with the keys of its workspaces turned to those they had: all else is compared. */
export function contentsOf(bytes: Uint8Array, keys: Readonly<Record<string, string>> = {}): Record<string, string> {
  const turned = (text: string) =>
    Object.entries(keys).reduce(
      (all, [now, was]) => all.replaceAll(new RegExp(`(?<![a-z0-9_])${now}(?![a-z0-9_])`, 'g'), was),
      text,
    );
  return Object.fromEntries(
    Object.entries(unzipSync(bytes))
      .map(([name, content]): [string, string] => [
        turned(name),
        name.startsWith('files/') ? Buffer.from(content).toString('base64') : turned(strFromU8(content)),
      ])
      .toSorted(([a], [b]) => (a < b ? -1 : 1)),
  );
}
