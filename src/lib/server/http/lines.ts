import { createGunzip } from 'node:zlib';
import { pipeline, Readable } from 'node:stream';
import { refuse } from '../base/refusal';
import { streamOf } from '../base/streamOf';
import { holdsOnlyText, parseJson } from './json';

/** JSON values, one a line (https://github.com/ndjson/ndjson-spec). */
export const linesType = 'application/x-ndjson';

/** A line as it came: what it holds, or why that cannot be read. Its number counts from 1, blank lines too. */
export interface Line {
  readonly line: number;
  readonly value?: unknown;
  readonly problem?: string;
  /** In bytes. */
  readonly size: number;
}

/** In bytes: of a line, and of all that is sent once it is unpacked. */
const mostLine = 1024 * 1024;
const mostSent = 4 * 1024 * 1024 * 1024;
/** Blank ones too. */
const mostLines = 2_000_000;

const lineFeed = 0x0a;

/** The lines of a body, gzipped or not, as they come; never more than one of them is held. */
export async function* linesOf(request: Request): AsyncGenerator<Line, void> {
  let [number, size, left] = [0, 0, Buffer.alloc(0)];
  try {
    for await (const chunk of unpacked(request) as AsyncIterable<Buffer>) {
      size += chunk.length;
      if (size > mostSent) throw refuse(413, 'More than 4 GB were sent.', 'Send it in parts.');
      let from = 0;
      for (let at = chunk.indexOf(lineFeed); at !== -1; at = chunk.indexOf(lineFeed, from)) {
        yield lineFrom(++number, left, chunk.subarray(from, at));
        [from, left] = [at + 1, Buffer.alloc(0)];
      }
      const rest = chunk.subarray(from);
      if (left.length + rest.length > mostLine) throw tooLong(number + 1);
      if (number > mostLines) throw refuse(413, 'More than 2,000,000 lines were sent.', 'Send them in parts.');
      left = Buffer.concat([left, rest]);
    }
  } catch (error) {
    throw isGzipError(error) ? refuse(400, 'The body is no gzip.', 'Pack it with gzip, or send it as it is.') : error;
  }
  if (left.length > 0) yield lineFrom(number + 1, left, Buffer.alloc(0));
}

/** What was sent, as it was before it was packed. */
function unpacked({ headers, body }: Request): Readable {
  const encoding = (headers.get('content-encoding') ?? 'identity').trim().toLowerCase();
  if (encoding !== 'identity' && encoding !== 'gzip')
    throw refuse(400, `The body is packed as ${encoding}.`, 'Send it as it is, or with Content-Encoding: gzip.');
  const sent = body ? Readable.fromWeb(body as never) : Readable.from([]);
  // How it ends is told to whoever reads it.
  return encoding === 'gzip' ? pipeline(sent, createGunzip(), () => undefined) : sent;
}

/** The errors of zlib have codes of their own. */
const isGzipError = (error: unknown): boolean =>
  error instanceof Error && 'code' in error && String(error.code).startsWith('Z_');

const tooLong = (line: number) => refuse(413, `Line ${line} is longer than 1 MB.`, 'Write one record a line.');

const utf8 = new TextDecoder('utf-8', { fatal: true });

function lineFrom(line: number, begun: Buffer, rest: Buffer): Line {
  const size = begun.length + rest.length;
  if (size > mostLine) throw tooLong(line);
  const bytes = begun.length === 0 ? rest : Buffer.concat([begun, rest]);
  try {
    const text = utf8.decode(bytes).trim();
    if (text === '') return { line, size };
    if (!holdsOnlyText(text)) return { line, size, problem: 'holds a NUL, or half of a character, which no text has' };
    return { line, size, value: parseJson(text) };
  } catch (error) {
    return { line, size, problem: error instanceof TypeError ? 'is no UTF-8' : 'is no JSON' };
  }
}

/** Values as an answer of lines, sent as they come. */
export function linesResponse(values: AsyncIterable<unknown>): Response {
  const encoder = new TextEncoder();
  const pieces = (async function* () {
    for await (const value of values) yield encoder.encode(`${JSON.stringify(value)}\n`);
  })();
  return new Response(streamOf(pieces), { headers: { 'content-type': linesType } });
}
