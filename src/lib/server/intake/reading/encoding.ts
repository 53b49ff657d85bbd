import { isAscii, isUtf8 } from 'node:buffer';
import { createReadStream } from 'node:fs';
import iconv from 'iconv-lite';
import jschardet from 'jschardet';
import { refuse } from '../../base/refusal';

/** What of a file is UTF-8: how many characters of several bytes, and how many bytes that are none. */
interface Utf8Share {
  readonly characters: number;
  readonly invalid: number;
}

/**
 * Characters may be split over chunks: only what is certainly whole is looked at, the rest goes before the next chunk.
 */
async function utf8Share(path: string): Promise<Utf8Share> {
  let [characters, invalid] = [0, 0];
  let rest: Buffer = Buffer.alloc(0);
  const count = (bytes: Buffer) => {
    if (isUtf8(bytes) && characters > 0) return;
    for (let at = 0; at < bytes.length;) {
      const byte = bytes[at] ?? 0;
      const length =
        byte < 0x80 ? 1 : byte >= 0xf0 && byte < 0xf5 ? 4 : byte >= 0xe0 ? 3 : byte >= 0xc2 && byte < 0xe0 ? 2 : 0;
      if (length > 1 && isUtf8(bytes.subarray(at, at + length)) && at + length <= bytes.length) characters++;
      else if (length !== 1) invalid++;
      at += length > 1 && isUtf8(bytes.subarray(at, at + length)) ? length : 1;
    }
  };
  for await (const chunk of createReadStream(path, { highWaterMark: 1 << 20 })) {
    if (rest.length === 0 && isAscii(chunk as Buffer)) continue;
    const bytes = rest.length > 0 ? Buffer.concat([rest, chunk as Buffer]) : (chunk as Buffer);
    let end = bytes.length;
    for (let back = 1; back <= 3 && back <= bytes.length; back++) {
      const byte = bytes[bytes.length - back] ?? 0;
      if (byte >= 0xc0) {
        end = bytes.length - back;
        break;
      }
      if (byte < 0x80) break;
    }
    if (!isUtf8(bytes.subarray(0, end)) || characters === 0) count(bytes.subarray(0, end));
    // Once it is plain that the file is of another encoding, the rest need not be read.
    if (invalid > 100 && invalid > characters) break;
    rest = bytes.subarray(end);
  }
  if (!isUtf8(rest)) count(rest);
  return { characters, invalid };
}

/** Letters that Western languages write inside words, for telling one-byte encodings apart. */
const likely = /\p{Ll}[äöüßéèêëàâçñåøæôîïóíáúœùûìòãõ]|[äöüéèêëàâçñåøæôîïóíáúœ]\p{Ll}|[ÄÖÜÉÅØ]\p{Ll}|[–—’“”„€]/gu;
const unlikely = /\p{Ll}[ŠŽŸ¤¦§¨¬±¶¸Ê‰√ƒ∆Ω◊¡¢]|[\u0080-\u009f]/gu;
const oneByte = ['windows-1252', 'iso-8859-15', 'macintosh'] as const;

function oneByteEncodingOf(sample: Buffer): string {
  const scored = oneByte.map((encoding) => {
    const text = iconv.decode(sample, encoding);
    return { encoding, score: (text.match(likely)?.length ?? 0) - 2 * (text.match(unlikely)?.length ?? 0) };
  });
  return scored.reduce((best, one) => (one.score > best.score ? one : best)).encoding;
}

const eastAsian = /^(?:shift_jis|euc-jp|euc-kr|gb18030|big5)$/;

/**
 * Every sign beyond ASCII is of East Asia, and there are many: texts of the West have few, and not in pairs that mean
 * something.
 */
function readsAsEastAsian(sample: Buffer, encoding: string): boolean {
  const text = iconv.decode(sample, encoding).slice(0, -2);
  const beyond = text.match(/[^\p{ASCII}]/gu) ?? [];
  const signs = beyond.filter((sign) =>
    /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Hangul}\u3000-\u303f\uff00-\uffef]/u.test(sign),
  );
  return beyond.length * 2 > sample.length * 0.1 && signs.length > beyond.length * 0.97;
}

/**
 * The encoding of a text file: by its byte-order mark, then UTF-8 when all of it is, or all but a few bytes among many
 * characters, then by the statistics of its first bytes. Refuses what is empty or no text.
 */
export async function encodingOf(path: string, name: string, sample: Buffer): Promise<string> {
  if (sample.toString('latin1').trim() === '')
    throw refuse(422, `${name} is empty.`, 'Choose a file with a header and rows.');
  const start = sample.subarray(0, 2).toString('hex');
  if (start === 'fffe') return 'utf-16le';
  if (start === 'feff') return 'utf-16be';
  if (sample.includes(0)) {
    // Texts of plain letters in UTF-16 without a mark have a NUL in every other place.
    const zeros = [0, 1].map(
      (from) => sample.subarray(0, 1000).filter((byte, index) => index % 2 === from && byte === 0).length,
    );
    const half = Math.min(1000, sample.length) / 2;
    if ((zeros[1] ?? 0) > half * 0.7 && zeros[0] === 0) return 'utf-16le';
    if ((zeros[0] ?? 0) > half * 0.7 && zeros[1] === 0) return 'utf-16be';
    throw refuse(422, `${name} holds NUL bytes, so it is no text.`, 'Save it as CSV and bring that in.');
  }
  const { characters, invalid } = await utf8Share(path);
  if (invalid === 0 || characters > invalid * 20) return 'utf-8';
  const { encoding, confidence } = jschardet.detect(sample);
  const guess = encoding?.toLowerCase().replace('cp949', 'euc-kr').replace('gb2312', 'gb18030');
  if (guess && iconv.encodingExists(guess)) {
    if (
      eastAsian.test(guess)
        ? readsAsEastAsian(sample, guess)
        : confidence > 0.9 && /^(?:windows-125[0134567]|koi8-r|iso-8859-[257])$/.test(guess)
    )
      return guess;
  }
  return oneByteEncodingOf(sample);
}
