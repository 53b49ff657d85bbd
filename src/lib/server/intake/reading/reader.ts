import { createReadStream } from 'node:fs';
import { open, readFile, stat } from 'node:fs/promises';
import iconv from 'iconv-lite';
import { refuse } from '../../base/refusal';
import { openArchive } from './archive';
import { dataPackageIn, dataPackagePieces, declaredIn, type DataPackage } from './dataPackage';
import { delimitedPieces } from './delimited';
import { encodingOf } from './encoding';
import { jsonPieces } from './json';
import { openDocumentPieces } from './openDocument';
import { htmlPieces } from './pasted';
import { delimiterOf } from '$core/intake/delimitedRows';
import type { ReadingWish } from '$core/intake/intake';
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
  const start = sample.subarray(0, 8).toString('hex');
  if (start.startsWith('504b0304') || start.startsWith('504b0506')) return openBook(path, name);
  if (start.startsWith('d0cf11e0')) throw refuseCompound(name, sample);
  const known = signatures.find(([signature]) => start.startsWith(signature));
  if (known)
    throw refuse(422, `${name} is ${known[1]}, not a table.`, 'Save the table as CSV or .xlsx and bring that in.');
  const text = sample
    .toString('utf8')
    .replace(/^\uFEFF/, '')
    .trimStart();
  if (text.startsWith('{') || text.startsWith('['))
    if (looksLikeJson(text))
      return { found: { kind: 'JSON' }, pieces: (most) => jsonPieces(path, name, most), close: () => undefined };
  if (/^(?:<!doctype html|<html|<meta|<table|<!--StartFragment)/i.test(text)) return openHtml(path, name);
  return openDelimited(path, name, sample, wish, described);
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

async function openBook(path: string, name: string): Promise<FileReader> {
  const archive = await openArchive(path, name);
  const close = () => archive.close();
  const description = archive.parts.find((part) => /(?:^|\/)datapackage\.json$/.test(part));
  if (archive.has('xl/workbook.xml'))
    return { found: { kind: 'workbook' }, pieces: (most) => workbookPieces(archive, name, most), close };
  if (archive.has('content.xml'))
    return { found: { kind: 'open document' }, pieces: (most) => openDocumentPieces(archive, name, most), close };
  if (description)
    return { found: { kind: 'data package' }, pieces: () => dataPackagePieces(archive, description, name), close };
  const encrypted = archive.has('EncryptedPackage');
  close();
  throw encrypted
    ? refuse(422, `${name} is protected by a password.`, 'Save it without one.')
    : refuse(422, `${name} is an archive without a workbook in it.`, 'Unpack it and bring in its tables.');
}

async function openHtml(path: string, name: string): Promise<FileReader> {
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

async function openDelimited(
  path: string,
  name: string,
  sample: Buffer,
  wish: ReadingWish,
  described: DataPackage | null,
): Promise<FileReader> {
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
