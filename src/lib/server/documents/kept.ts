import { randomBytes } from 'node:crypto';
import { mkdir, open, readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { notHere } from '../base/refusal';
import { filesRoot } from '../files/store';
import { refusalOf } from '../http/problem';

/** What was made is kept so long for whoever had it made, in milliseconds. */
const keptFor = 3_600_000;
/** How often it is told how far it is, in milliseconds. */
const toldEach = 200;

const folder = (): string => join(filesRoot(), 'made');
const nameOf = (person: number, key: string): string => join(folder(), `${person}-${key}`);

/** Deletes what nobody fetched in time. */
async function purge(): Promise<void> {
  for (const name of await readdir(folder())) {
    const path = join(folder(), name);
    const age = Date.now() - ((await stat(path).catch(() => null))?.mtimeMs ?? Date.now());
    if (age > keptFor) await rm(path, { force: true });
  }
}

/** How far a file is that is being made. */
export interface Progress {
  /** Documents in it, and what is to be said of them. */
  readonly made: () => number;
  readonly notes: () => readonly string[];
  readonly count: number;
}

/**
 * Writes a file as it is made, and tells how far it is, a line of JSON each: `{made, count, bytes}`, at last with `key`,
 * by which `keptFile` finds it, and `notes`; `{problem}` where it cannot be made. Nothing stays of what is not done.
 */
export async function* keeping(
  person: number,
  pieces: AsyncGenerator<Uint8Array, void>,
  { made, notes, count }: Progress,
  fileAt: (key: string) => string,
): AsyncGenerator<Uint8Array, void> {
  const encoder = new TextEncoder();
  const line = (said: object) => encoder.encode(`${JSON.stringify(said)}\n`);
  await mkdir(folder(), { recursive: true });
  await purge();
  const key = randomBytes(24).toString('base64url');
  const path = nameOf(person, key);
  const file = await open(path, 'wx', 0o600);
  let [bytes, last, isDone] = [0, 0, false];
  try {
    for await (const piece of pieces) {
      await file.write(piece);
      bytes += piece.length;
      if (Date.now() - last < toldEach) continue;
      last = Date.now();
      yield line({ made: made(), count, bytes });
    }
    isDone = true;
    yield line({ made: made(), count, bytes, file: fileAt(key), notes: notes() });
  } catch (error) {
    const refusal = refusalOf(error);
    if (!refusal) throw error;
    isDone = false;
    yield line({ problem: refusal.problem });
  } finally {
    await pieces.return();
    await file.close();
    if (!isDone) await rm(path, { force: true });
  }
}

/** The path and size of what somebody had made; nobody else's is there. */
export async function keptFile(person: number, key: string): Promise<{ readonly path: string; readonly size: number }> {
  if (!/^[\w-]{32}$/.test(key)) throw notHere('file');
  const path = nameOf(person, key);
  const found = await stat(path).catch(() => null);
  if (!found) throw notHere('file');
  return { path, size: found.size };
}
