import { isUtf8 } from 'node:buffer';
import { createReadStream } from 'node:fs';
import { open } from 'node:fs/promises';
import iconv from 'iconv-lite';
import jschardet from 'jschardet';
import { refuse } from '../refusal';

const sampleBytes = 64 * 1024;

/** Beginnings of files that are no text, with what they are. */
const signatures: readonly (readonly [string, string])[] = [
  ['504b0304', 'a workbook or an archive'],
  ['d0cf11e0', 'an old workbook'],
  ['25504446', 'a PDF'],
  ['89504e47', 'a picture'],
  ['ffd8ff', 'a picture'],
  ['1f8b', 'a compressed file'],
];

async function sampleOf(path: string): Promise<Buffer> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(sampleBytes), 0, sampleBytes, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}

/** Whether all of a file is UTF-8; characters may be split over chunks. */
async function isAllUtf8(path: string): Promise<boolean> {
  let rest: Buffer = Buffer.alloc(0);
  for await (const chunk of createReadStream(path, { highWaterMark: 1 << 20 })) {
    const bytes = Buffer.concat([rest, chunk as Buffer]);
    // The last up to three bytes may begin a character that the next chunk ends.
    let end = bytes.length;
    for (let back = 1; back <= 3 && back <= bytes.length; back++) {
      const byte = bytes[bytes.length - back] ?? 0;
      if (byte >= 0xc0) {
        end = bytes.length - back;
        break;
      }
      if (byte < 0x80) break;
    }
    if (!isUtf8(bytes.subarray(0, end))) return false;
    rest = bytes.subarray(end);
  }
  return isUtf8(rest);
}

/**
 * The encoding of a text file: by its byte-order mark, then UTF-8 when all of it is, then by the statistics of its first
 * 64 kB, then Windows-1252. Refuses what is empty or no text.
 */
export async function encodingOf(path: string, name: string): Promise<string> {
  const sample = await sampleOf(path);
  if (sample.length === 0 || sample.toString('latin1').trim() === '') throw refuse(422, `${name} is empty.`, 'Choose a file with a header and rows.');
  const start = sample.subarray(0, 4).toString('hex');
  const known = signatures.find(([signature]) => start.startsWith(signature));
  if (known) throw refuse(422, `${name} is ${known[1]}, not a table as text.`, 'Save it as CSV and bring that in.');
  if (start.startsWith('fffe')) return 'utf-16le';
  if (start.startsWith('feff')) return 'utf-16be';
  if (sample.includes(0)) throw refuse(422, `${name} holds NUL bytes, so it is no text.`, 'Save it as CSV and bring that in.');
  if (await isAllUtf8(path)) return 'utf-8';
  const { encoding, confidence } = jschardet.detect(sample);
  return encoding && confidence > 0.9 && iconv.encodingExists(encoding) && !/ascii|utf-?8/i.test(encoding) ? encoding.toLowerCase() : 'windows-1252';
}

/** The file's text, decoded as it streams; characters split over chunks stay whole. */
export const textOf = (path: string, encoding: string): NodeJS.ReadableStream =>
  createReadStream(path, { highWaterMark: 256 * 1024 }).pipe(iconv.decodeStream(encoding));
