import { Zip, ZipDeflate, ZipPassThrough } from 'fflate';

const encoder = new TextEncoder();

/**
 * An archive (ZIP, APPNOTE 6.3) that is written part by part, one after the other; what is finished is taken as it
 * comes.
 */
export class ZipWriter {
  private made: Uint8Array[] = [];
  private readonly zip = new Zip((error, chunk) => {
    if (error) throw error;
    this.made.push(chunk);
  });

  /** A part that is known whole; `stored` as it is, so that it can be told without unpacking. */
  whole(name: string, text: string, stored = false): void {
    const part = stored ? new ZipPassThrough(name) : new ZipDeflate(name);
    this.zip.add(part);
    part.push(encoder.encode(text), true);
  }

  /** A part that comes piece by piece: its pieces until the last one, which ends it. */
  long(name: string): (piece: string | Uint8Array, last?: boolean) => void {
    const part = new ZipDeflate(name, { level: 4 });
    this.zip.add(part);
    return (piece, last = false) => part.push(typeof piece === 'string' ? encoder.encode(piece) : piece, last);
  }

  take(): Uint8Array[] {
    return this.made.splice(0);
  }

  end(): Uint8Array[] {
    this.zip.end();
    return this.take();
  }
}

/** A text without what XML 1.0 has no way to write: control characters other than tabs and line ends. */
export const xmlCharacters = (text: string): string =>
  // eslint-disable-next-line no-control-regex
  text.replace(/[\u0000-\u0008\u000B\u000C\u000E-\u001F\uFFFE\uFFFF]/g, '');

/** A text within XML 1.0. */
export const xmlText = (text: string): string =>
  xmlCharacters(text)
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
