import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { finished } from 'node:stream/promises';
import busboy from 'busboy';
import type { RequestEvent } from '@sveltejs/kit';
import { refuse } from '../refusal';

export interface UploadedFile {
  readonly name: string;
  /** Where the contents wait; whoever reads them removes the file. */
  readonly path: string;
}

export interface UploadLimits {
  readonly files: number;
  /** In bytes, for each file. */
  readonly size: number;
  /** The size in words, such as `1 GB`. */
  readonly words: string;
}

/** Puts uploaded files where they can be read more than once; refuses what is too large while it comes in. */
export async function receiveFiles({ request }: RequestEvent, limits: UploadLimits): Promise<UploadedFile[]> {
  const type = request.headers.get('content-type') ?? '';
  if (!type.startsWith('multipart/form-data') || !request.body) throw refuse(400, 'No file came in.', 'Send multipart/form-data with one part a file.');
  const files: UploadedFile[] = [];
  const written: Promise<void>[] = [];
  let large: string | null = null;
  const form = busboy({ headers: { 'content-type': type }, limits: { files: limits.files, fileSize: limits.size }, defParamCharset: 'utf8' });
  form.on('file', (_, stream, { filename }) => {
    const path = join(tmpdir(), `loom-${randomUUID()}`);
    files.push({ name: filename ?? 'file', path });
    stream.on('limit', () => (large = filename ?? 'A file'));
    written.push(finished(stream.pipe(createWriteStream(path))));
  });
  const removed = () => Promise.all(files.map(({ path }) => rm(path, { force: true })));
  try {
    await finished(Readable.fromWeb(request.body as never).pipe(form));
    await Promise.all(written);
  } catch {
    await removed();
    throw refuse(400, 'The upload broke off.', 'Send the files again.');
  }
  if (large !== null) {
    await removed();
    throw refuse(413, `${String(large)} is larger than ${limits.words}.`, 'Split the file or make it smaller.');
  }
  return files;
}
