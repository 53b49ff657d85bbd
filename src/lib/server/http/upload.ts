import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import busboy from 'busboy';
import Joi from 'joi';
import type { RequestEvent } from '@sveltejs/kit';
import { writeWhole } from '../files/whole';
import { refuse } from '../base/refusal';
import { textWithin } from './body';
import { holdsOnlyText } from './json';
import type { ReceivedFile, UploadedFile } from '../files/uploaded';

export interface UploadLimits {
  readonly files: number;
  /** In bytes, for each file. */
  readonly size: number;
  /** The size in words, such as `1 GB`. */
  readonly words: string;
}

const pasted = Joi.object({
  text: Joi.string().max(50_000_000),
  html: Joi.string().max(50_000_000),
  name: Joi.string().trim().min(1).max(100).default('Pasted range'),
})
  .xor('text', 'html')
  .messages({ 'object.missing': 'Nothing was pasted.' });
const fromInside = Joi.object({ from: Joi.string().max(130).required(), records: Joi.boolean().default(true) });

/** What an intake takes as JSON. */
export const pastedSent = Joi.alternatives(pasted, fromInside);

const anyFile = { type: 'string', contentMediaType: 'application/octet-stream' } as const;
/** Files as parts of a form, in JSON Schema: under any name, each with the name it has. */
export const filesSent = {
  type: 'object',
  properties: { files: { type: 'array', items: anyFile } },
  additionalProperties: anyFile,
} as const;

/** A table that stands here or in another workspace, with its records or as a structure alone. */
export interface InsideSource {
  readonly from: string;
  readonly records: boolean;
}

/** Whether what comes in is said in JSON, and no file. */
export const isJson = ({ request }: RequestEvent): boolean =>
  (request.headers.get('content-type') ?? '').startsWith('application/json');

/** A place for something on its way in. */
export const passingPath = (): string => join(tmpdir(), `loom-${randomUUID()}`);

/**
 * A pasted range as a file, of which what it is, is found out as with any other; or the name of a table that is to come
 * in.
 */
export async function receiveJson({ request }: RequestEvent): Promise<UploadedFile | InsideSource> {
  const text = await textWithin(request, 32 * 1024 * 1024, '32 MB');
  const sent: unknown = ((): unknown => {
    try {
      return holdsOnlyText(text) ? JSON.parse(text) : null;
    } catch {
      return null;
    }
  })();
  if (typeof sent === 'object' && sent !== null && 'from' in sent) {
    const { value, error } = fromInside.validate(sent) as Joi.ValidationResult<InsideSource>;
    if (error) throw refuse(400, error.message, 'Send {from: "workspace.table"}.');
    return value;
  }
  const { value, error } = pasted.validate(sent) as Joi.ValidationResult<{
    text?: string;
    html?: string;
    name: string;
  }>;
  if (error) throw refuse(400, error.message, 'Send {text} with cells apart by tabs, {html}, or {from} with a table.');
  const path = passingPath();
  await writeWhole(path, (half) => writeFile(half, value.text ?? `<html>${value.html ?? ''}</html>`, 'utf8'));
  return { name: value.name, path };
}

/** For the texts beside files, in bytes. */
const textsSize = 1024 * 1024;

/** The files among the parts of a request. */
export const receiveFiles = async (
  event: Pick<RequestEvent, 'request'>,
  limits: UploadLimits,
  place = passingPath,
): Promise<UploadedFile[]> => (await receiveParts(event, limits, place)).files;

/**
 * Puts uploaded files where they can be read more than once, beside the texts that came with them; refuses what is too
 * large, before it comes in where its length is said.
 */
export async function receiveParts(
  { request }: Pick<RequestEvent, 'request'>,
  limits: UploadLimits,
  place = passingPath,
): Promise<{ files: ReceivedFile[]; texts: ReadonlyMap<string, string> }> {
  const type = request.headers.get('content-type') ?? '';
  if (!type.startsWith('multipart/form-data') || !request.body)
    throw refuse(400, 'No file came in.', 'Send multipart/form-data with one part a file.');
  if (Number(request.headers.get('content-length') ?? 0) > limits.files * limits.size + textsSize)
    throw refuse(
      413,
      `This is larger than ${limits.files} files of ${limits.words}.`,
      'Send less, or make the files smaller.',
    );
  const files: ReceivedFile[] = [];
  const texts = new Map<string, string>();
  const written: Promise<Error | null>[] = [];
  let large: string | null = null;
  let tooMany = false;
  const form = busboy({
    headers: { 'content-type': type },
    limits: { files: limits.files, fileSize: limits.size, fields: 20, fieldSize: textsSize },
    defParamCharset: 'utf8',
  });
  form.on('filesLimit', () => (tooMany = true));
  form.on('field', (name, text) => texts.set(name, text));
  form.on('file', (part, stream, { filename }) => {
    const path = place();
    files.push({ name: filename ?? 'file', part, path });
    stream.on('limit', () => (large = filename ?? 'A file'));
    written.push(writing(stream, path));
  });
  const removed = () => Promise.all(files.map(({ path }) => rm(path, { force: true })));
  try {
    await pipeline(Readable.fromWeb(request.body as never), form);
  } catch {
    await Promise.all(written);
    await removed();
    throw refuse(400, 'The upload broke off.', 'Send the files again.');
  }
  const failure = (await Promise.all(written)).find((error) => error !== null);
  if (failure) {
    await removed();
    throw failure;
  }
  if (tooMany) {
    await removed();
    throw refuse(413, `More than ${limits.files} files came at once; none was kept.`, 'Send them in parts.');
  }
  if (large !== null) {
    await removed();
    throw refuse(413, `${String(large)} is larger than ${limits.words}.`, 'Split the file or make it smaller.');
  }
  return { files, texts };
}

/**
 * Writes a part of an upload, and gives what hindered it. What then still comes is taken and thrown away: who sends it
 * would otherwise see the connection end, and not the answer.
 */
function writing(part: Readable, path: string): Promise<Error | null> {
  const place = createWriteStream(path);
  return new Promise((resolve) => {
    place
      .on('finish', () => resolve(null))
      .on('error', (error) => {
        part.unpipe(place);
        part.resume();
        resolve(error);
      });
    part
      .on('error', () => undefined)
      .on('close', () => {
        if (!part.readableEnded) place.destroy(new Error('the upload broke off'));
      });
    part.pipe(place);
  });
}
