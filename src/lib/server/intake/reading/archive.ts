import { createReadStream } from 'node:fs';
import { Readable } from 'node:stream';
import { crc32, createInflateRaw } from 'node:zlib';
import yauzl from 'yauzl';
import { Refusal, refuse } from '../../base/refusal';

/** No genuine workbook has more parts; what has is made to keep a reader busy. */
const ofWorkbook: ArchiveLimits = { entries: 10_000, unpacked: 4_000_000_000 };
/**
 * An unpacked part may be this many times its packed size once it is large: XML of equal rows packs to about a
 * hundredth, and what packs much better was made to keep a reader busy.
 */
const mostRatio = 150;
const ratioFrom = 200_000_000;

/** In bytes: pieces so large that what is done for each of them does not count. */
const pieceSize = 1024 * 1024;

/**
 * The bytes of an entry as they are unpacked. The library finds where they lie; read by it they come in pieces that are
 * too small for gigabytes.
 */
async function unpacking(zip: yauzl.ZipFile, path: string, entry: yauzl.Entry): Promise<Readable> {
  if (entry.compressionMethod !== 0 && entry.compressionMethod !== 8) throw new Error('packed in another way');
  const start = await new Promise<number>((resolve, reject) => {
    zip.readLocalFileHeader(entry, { minimal: true }, (error, header) =>
      error ? reject(error) : resolve(header.fileDataStart),
    );
  });
  if (entry.compressedSize === 0) return Readable.from([]);
  const packed = createReadStream(path, {
    start,
    end: start + entry.compressedSize - 1,
    highWaterMark: pieceSize,
  });
  if (entry.compressionMethod === 0) return packed;
  const inflate = createInflateRaw({ chunkSize: pieceSize });
  packed.on('error', (error) => inflate.destroy(error));
  inflate.on('close', () => packed.destroy());
  return packed.pipe(inflate);
}

export interface Archive {
  has(part: string): boolean;
  /** The names of all parts, as they are written. */
  readonly parts: readonly string[];
  /** The part's bytes, unpacked as they are read; refused where they grow beyond the limits. */
  chunks(part: string): AsyncGenerator<Buffer, void>;
  text(part: string): Promise<string>;
  close(): void;
}

/** How much an archive may hold. */
interface ArchiveLimits {
  readonly entries: number;
  /** In bytes, unpacked. */
  readonly unpacked: number;
}

/** Opens a ZIP archive (APPNOTE 6.3) by its central directory. Parts are found whatever the case of their names. */
export async function openArchive(
  path: string,
  name: string,
  { entries: mostEntries, unpacked: mostUnpacked }: ArchiveLimits = ofWorkbook,
): Promise<Archive> {
  const broken = () => refuse(422, `${name} is cut off or damaged.`, 'Save it again and bring in the whole file.');
  const zip = await yauzl.openPromise(path, { lazyEntries: true, autoClose: false }).catch(() => {
    throw broken();
  });
  const entries = new Map<string, yauzl.Entry>();
  try {
    if (zip.entryCount > mostEntries)
      throw refuse(
        422,
        `${name} holds ${zip.entryCount.toLocaleString('en')} parts; ${mostEntries.toLocaleString('en')} is the most.`,
        'Save the sheet as CSV.',
      );
    for await (const entry of zip.eachEntry()) entries.set(entry.fileName.toLowerCase(), entry);
  } catch (error) {
    zip.close();
    throw error instanceof Refusal ? error : broken();
  }
  let unpacked = 0;
  async function* chunks(part: string): AsyncGenerator<Buffer, void> {
    const entry = entries.get(part.toLowerCase());
    if (!entry) throw broken();
    if (entry.isEncrypted()) throw refuse(422, `${name} is protected by a password.`, 'Save it without one.');
    let own = 0;
    try {
      const source = await unpacking(zip, path, entry);
      let sum = 0;
      for await (const chunk of source as AsyncIterable<Buffer>) {
        own += chunk.length;
        unpacked += chunk.length;
        sum = crc32(chunk, sum);
        if (unpacked > mostUnpacked || (own > ratioFrom && own > entry.compressedSize * mostRatio))
          throw refuse(
            422,
            `${name} unpacks to far more than a table holds.`,
            'Save the sheet as CSV and bring that in.',
          );
        yield chunk;
      }
      // Some writers say no checksum.
      if (own !== entry.uncompressedSize || (entry.crc32 !== 0 && sum !== entry.crc32)) throw broken();
    } catch (error) {
      // What breaks while unpacking is a damaged file, whichever layer noticed.
      throw error instanceof Refusal ? error : broken();
    }
  }
  return {
    has: (part) => entries.has(part.toLowerCase()),
    parts: [...entries.values()].map(({ fileName }) => fileName),
    chunks,
    async text(part) {
      const read: Buffer[] = [];
      for await (const chunk of chunks(part)) read.push(chunk);
      return Buffer.concat(read).toString('utf8');
    },
    close: () => zip.close(),
  };
}
