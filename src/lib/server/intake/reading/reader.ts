import { createReadStream } from 'node:fs';
import { open, readFile, stat } from 'node:fs/promises';
import iconv from 'iconv-lite';
import { refuse } from '../../base/refusal';
import { openArchive, type Archive } from './archive';
import { dataPackageIn, dataPackagePieces, declaredIn, type DataPackage } from './dataPackage';
import { delimitedPieces } from './delimited';
import { encodingOf } from './encoding';
import { jsonPieces } from './json';
import { openDocumentPieces } from './openDocument';
import { htmlPieces } from './pasted';
import { delimiterOf } from '$core/intake/sheets/delimitedRows';
import type { ReadingFound, ReadingWish } from '$core/intake/intake';
import { withTablesApart } from './apart';
import type { FileReader, Piece } from './piece';
import { refuseCompound, workbookPieces } from './workbook';

const sampleBytes = 64 * 1024;
const mostHtml = 50_000_000;

/** Beginnings of files that hold no table, with what they are. */
const signatures: readonly (readonly [string, string])[] = [
  ['25504446', 'a PDF'],
  ['89504e47', 'a picture'],
  ['ffd8ff', 'a picture'],
  ['47494638', 'a picture'],
  ['1f8b', 'a compressed file'],
  ['526172211a07', 'a compressed file'],
  ['377abcaf271c', 'a compressed file'],
];

/** A file as it is looked at to tell what it is. */
interface LookedAt {
  readonly path: string;
  readonly name: string;
  /** Its beginning. */
  readonly sample: Buffer;
  /** The first bytes in hexadecimal digits, and the beginning as text. */
  readonly bytes: string;
  readonly text: string;
  readonly wish: ReadingWish;
  /** A Data Package's descriptor that came beside it. */
  readonly described: DataPackage | null;
}

/** A format of files, recognised by what is in them. */
interface FileFormat {
  readonly is: (file: LookedAt) => boolean;
  readonly open: (file: LookedAt) => FileReader | Promise<FileReader>;
}

/** The formats of files, in the order in which they are looked for; the last one takes what is left. */
const formats: readonly FileFormat[] = [
  { is: ({ bytes }) => /^504b(?:0304|0506)/.test(bytes), open: openArchived },
  {
    is: ({ bytes }) => bytes.startsWith('d0cf11e0'),
    open: ({ name, sample }) => {
      throw refuseCompound(name, sample);
    },
  },
  { is: ({ bytes }) => noTableIn(bytes) !== undefined, open: refuseUnread },
  { is: ({ text }) => looksLikeJson(text), open: openJson },
  { is: ({ text }) => /^(?:<!doctype html|<html|<meta|<table|<!--StartFragment)/i.test(text), open: openHtml },
  { is: () => true, open: openDelimited },
];

/** The formats that are archives, by the part that each has. */
const archived: readonly {
  readonly kind: ReadingFound['kind'];
  readonly part: (archive: Archive) => string | undefined;
  readonly pieces: (archive: Archive, part: string, name: string, most?: number) => AsyncGenerator<Piece, void>;
}[] = [
  {
    kind: 'workbook',
    part: partOf('xl/workbook.xml'),
    pieces: (archive, _, name, most) => workbookPieces(archive, name, most),
  },
  {
    kind: 'open document',
    part: partOf('content.xml'),
    pieces: (archive, _, name, most) => openDocumentPieces(archive, name, most),
  },
  {
    kind: 'data package',
    part: ({ parts }) => parts.find((part) => /(?:^|\/)datapackage\.json$/.test(part)),
    pieces: dataPackagePieces,
  },
];

function partOf(part: string): (archive: Archive) => string | undefined {
  return (archive) => (archive.has(part) ? part : undefined);
}

/**
 * Opens a file by what is in it, whatever it is called. `described`: a Data Package's descriptor that came beside it.
 */
export async function openFile(
  path: string,
  name: string,
  wish: ReadingWish = {},
  described: DataPackage | null = null,
): Promise<FileReader> {
  const sample = await sampleOf(path);
  if (sample.length === 0) throw refuse(422, `${name} is empty.`, 'Choose a file with a header and rows.');
  const bytes = sample.subarray(0, 8).toString('hex');
  const text = sample
    .toString('utf8')
    .replace(/^\uFEFF/, '')
    .trimStart();
  const file = { path, name, sample, bytes, text, wish, described };
  const format = formats.find(({ is }) => is(file));
  if (!format) throw refuse(422, `${name} holds no table.`, 'Save the table as CSV or .xlsx and bring that in.');
  const reader = await format.open(file);
  return wish.oneTable ? reader : withTablesApart(reader);
}

const noTableIn = (bytes: string): string | undefined =>
  signatures.find(([signature]) => bytes.startsWith(signature))?.[1];

function refuseUnread({ name, bytes }: LookedAt): never {
  throw refuse(
    422,
    `${name} is ${noTableIn(bytes)}, not a table.`,
    'Save the table as CSV or .xlsx and bring that in.',
  );
}

function openJson({ path, name }: LookedAt): FileReader {
  return { found: { kind: 'JSON' }, pieces: (most) => jsonPieces(path, name, most), close: () => undefined };
}

/** A cell can begin with a bracket, too; JSON goes on as JSON does. */
const looksLikeJson = (text: string): boolean => /^(?:\[\s*(?:[[{"\]\d\-tfn])|\{\s*["}])/.test(text);

async function sampleOf(path: string): Promise<Buffer> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(sampleBytes), 0, sampleBytes, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}

async function openArchived({ path, name }: LookedAt): Promise<FileReader> {
  const archive = await openArchive(path, name);
  for (const { kind, part, pieces } of archived) {
    const found = part(archive);
    if (found === undefined) continue;
    return { found: { kind }, pieces: (most) => pieces(archive, found, name, most), close: () => archive.close() };
  }
  const encrypted = archive.has('EncryptedPackage');
  archive.close();
  throw encrypted
    ? refuse(422, `${name} is protected by a password.`, 'Save it without one.')
    : refuse(422, `${name} is an archive without a workbook in it.`, 'Unpack it and bring in its tables.');
}

async function openHtml({ path, name }: LookedAt): Promise<FileReader> {
  if ((await stat(path)).size > mostHtml)
    throw refuse(413, `${name} is a page of more than 50 MB.`, 'Save the table as CSV.');
  const html = await readFile(path, 'utf8');
  if (!/<t[rdh]\b/i.test(html))
    throw refuse(422, `${name} is a page without a table.`, 'Save the table as CSV or .xlsx and bring that in.');
  async function* pieces(): AsyncGenerator<Piece, void> {
    yield* htmlPieces(html, name.replace(/\.[^.]*$/, ''));
  }
  return { found: { kind: 'pasted range' }, pieces, close: () => undefined };
}

async function openDelimited({ path, name, sample, wish, described }: LookedAt): Promise<FileReader> {
  const encoding = wish.encoding ?? (await encodingOf(path, name, sample));
  if (!iconv.encodingExists(encoding)) throw refuse(422, `There is no encoding “${encoding}”.`, 'Choose another one.');
  const start = iconv.decode(sample, encoding).replace(/^\uFEFF/, '');
  const quote = wish.quote ?? '"';
  const delimiter = wish.delimiter ?? delimiterOf(start, quote);
  const declared = described && declaredIn(described, name);
  async function* pieces(): AsyncGenerator<Piece, void> {
    const source = createReadStream(path, { highWaterMark: 256 * 1024 });
    try {
      for await (const piece of delimitedPieces(source as AsyncIterable<Buffer>, name, { encoding, delimiter, quote }))
        yield piece.kind === 'sheet' && declared ? { kind: 'sheet', ...declared } : piece;
    } finally {
      source.destroy();
    }
  }
  return { found: { kind: 'delimited text', encoding, delimiter, quote }, pieces, close: () => undefined };
}

/** The descriptor among files that came together, with its place. */
export async function descriptorAmong(
  files: readonly { readonly name: string; readonly path: string }[],
): Promise<{ index: number; described: DataPackage } | null> {
  for (const [index, { name, path }] of files.entries()) {
    if (!/(?:^|[/\\])datapackage\.json$/i.test(name)) continue;
    const described = dataPackageIn(await readFile(path, 'utf8'));
    if (described) return { index, described };
  }
  return null;
}
