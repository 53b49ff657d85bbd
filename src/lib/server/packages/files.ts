import { createHash } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { fileTypeFromFile } from 'file-type';
import { pathOf } from '../files/store';
import { writeWhole } from '../files/whole';
import type { Archive } from '../intake/reading/archive';
import { refuse } from '../base/refusal';
import { places } from './format';
import type { PackedFile } from './descriptor';

/**
 * Puts the files of a package where contents stand, each under the hash that it was found to have; gives what they are.
 * One that says something else is refused, also where its contents stand here already: who sends a file has to have it.
 */
export async function keepFiles(archive: Archive, files: readonly PackedFile[]): Promise<PackedFile[]> {
  const kept: PackedFile[] = [];
  for (const { hash } of files) {
    const path = pathOf(hash);
    const stands = await stat(path).then(
      () => true,
      () => false,
    );
    if (stands) await passed(archive, hash, new Writable({ write: (_chunk, _encoding, done) => done() }));
    else await writeWhole(path, (half) => passed(archive, hash, createWriteStream(half)));
    const { size } = await stat(path);
    kept.push({ hash, size, type: (await fileTypeFromFile(path))?.mime ?? 'application/octet-stream' });
  }
  return kept;
}

/** Reads a file of the package into `to`, and refuses it where its hash is another one. */
async function passed(archive: Archive, hash: string, to: Writable): Promise<void> {
  const sum = createHash('sha256');
  await pipeline(
    archive.chunks(places.file(hash)),
    async function* (chunks: AsyncIterable<Buffer>) {
      for await (const chunk of chunks) {
        sum.update(chunk);
        yield chunk;
      }
    },
    to,
  );
  if (sum.digest('hex') !== hash)
    throw refuse(
      422,
      `A file in the package is not what it says (${hash.slice(0, 12)} …).`,
      'Send the package as it was taken out.',
    );
}
