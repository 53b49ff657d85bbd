import { DelimitedRows, delimiterOf } from '$core/intake/sheets/delimitedRows';
import { firstLook, firstRows, type FirstLook } from '$core/intake/sheets/firstLook';

/** What the page asks a worker for: a look at the beginning of delimited texts, before they are sent. */
export type FirstLookQuestion = readonly File[];

/** In bytes: so much of each file holds its first rows. */
const beginning = 512 * 1024;

/** UTF-8 where the bytes allow it, else the Western code page; the server looks at it again, more closely. */
async function textOf(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.slice(0, beginning).arrayBuffer());
  const mark =
    bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : null;
  if (mark) return new TextDecoder(mark).decode(bytes);
  try {
    // A character cut in two at the end of the piece is no mistake of the file.
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes, { stream: file.size > beginning });
  } catch {
    return new TextDecoder('windows-1252').decode(bytes);
  }
}

self.onmessage = async ({ data }: MessageEvent<FirstLookQuestion>) => {
  const files = [];
  for (const file of data) {
    const text = (await textOf(file)).replace(/^\uFEFF/, '').replace(/^sep=.\r?\n/, '');
    const reading = new DelimitedRows({ delimiter: delimiterOf(text), quote: '"' });
    const rows = reading.push(text);
    // The last row of a piece may be cut off.
    if (file.size <= beginning) rows.push(...reading.end());
    files.push({ name: file.name, rows: rows.slice(0, firstRows + 100) });
  }
  const looks: readonly FirstLook[] = firstLook(files);
  self.postMessage(looks);
};
