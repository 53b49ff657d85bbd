import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import iconv from 'iconv-lite';
import { describe, expect, test } from 'vitest';
import { SeenOnce } from '$core/intake/seenOnce';
import { encodingOf, textOf } from '$server/intake/decode';

const folder = mkdtempSync(join(tmpdir(), 'loom-decode-'));
let files = 0;

function fileOf(bytes: Buffer): string {
  const path = join(folder, String(++files));
  writeFileSync(path, bytes);
  return path;
}

async function readAll(path: string, encoding: string): Promise<string> {
  let text = '';
  for await (const piece of textOf(path, encoding)) text += String(piece);
  return text;
}

/** Longer than one chunk, so that characters are split between chunks at every offset somewhere. */
const long = 'Bienenstöcke im Frühjahr: größer – “stärker” · 蜜蜂 🐝\n'.repeat(30_000);

describe('the encoding is found on the whole file', () => {
  test.each<[string, Buffer, string]>([
    ['plain ASCII', Buffer.from('a,b\n1,2\n'), 'utf-8'],
    ['UTF-8', Buffer.from(long), 'utf-8'],
    ['UTF-8 with a mark', Buffer.from(`\uFEFF${long}`), 'utf-8'],
    ['UTF-16 little endian', iconv.encode(`\uFEFF${long}`, 'utf-16le'), 'utf-16le'],
    ['UTF-16 big endian', iconv.encode(`\uFEFF${long}`, 'utf-16be'), 'utf-16be'],
    ['an invalid byte at the very end', Buffer.concat([Buffer.from('ascii only\n'.repeat(30_000)), Buffer.from([0xfc])]), 'windows-1252'],
    ['a character cut off at the end', Buffer.concat([Buffer.from('x\n'), Buffer.from('ü').subarray(0, 1)]), 'windows-1252'],
  ])('%s', async (_, bytes, encoding) => {
    expect(await encodingOf(fileOf(bytes), 'a.csv')).toBe(encoding);
  });

  test.each(['utf-8', 'utf-16le', 'utf-16be'])('characters split over chunks stay whole: %s', async (encoding) => {
    expect(await readAll(fileOf(iconv.encode(long, encoding)), encoding)).toBe(long);
  });

  test('Windows-1252 comes out as it was written', async () => {
    const text = 'Jürgen – “größer” € \n'.repeat(2000);
    const path = fileOf(iconv.encode(text, 'windows-1252'));
    expect(await readAll(path, await encodingOf(path, 'a.csv'))).toBe(text);
  });
});

describe('what was met once is proved without being kept', () => {
  test('300,000 different texts, and then one again', () => {
    const seen = new SeenOnce();
    for (let i = 0; i < 300_000; i++) if (!seen.add(`H-${i}`)) throw new Error(`H-${i} was taken for met`);
    expect(seen.add('H-17')).toBe(false);
    expect(seen.add('H-299999')).toBe(false);
    expect(seen.add('H-300000')).toBe(true);
  });

  test.each([[['a', 'b', 'ab', 'ba', '', ' ']], [['1', '01', '001', '10', '100']], [['ä', 'a\u0308', 'A']]])('%j are all different', (texts) => {
    const seen = new SeenOnce();
    expect(texts.map((text) => seen.add(text))).toEqual(texts.map(() => true));
    expect(texts.map((text) => seen.add(text))).toEqual(texts.map(() => false));
  });
});
