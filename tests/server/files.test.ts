import { mkdtemp, readdir, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join as pathJoin } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { authorize, type Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { fileAt, keepFile, thumbnail } from '$server/files/store';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let folder: string;
let home: Place;
let other: Place;
let pell: Person;

let before: string | undefined;
beforeAll(async () => {
  folder = await mkdtemp(pathJoin(tmpdir(), 'loom-store-'));
  before = process.env.LOOM_FILES;
  process.env.LOOM_FILES = pathJoin(folder, 'kept');
  ({ pool, drop } = await freshDatabase('files'));
  const ida = await makePerson(pool, 'Ida');
  pell = await makePerson(pool, 'Pell');
  [home, other] = [await makePlace(pool, ida, 'Home'), await makePlace(pool, ida, 'Other')];
  await join(pool, await home.access(), pell, 'reader');
  await home.change({
    do: 'addTable',
    label: 'Frames',
    fields: [
      { label: 'Papers', key: 'papers', type: 'files' },
      { label: 'Views', key: 'views', type: 'pictures' },
    ],
  } as never);
});
afterAll(async () => {
  process.env.LOOM_FILES = before;
  await drop();
  await rm(folder, { recursive: true, force: true });
});

async function send(place: Place, name: string, contents: Buffer | string) {
  const path = pathJoin(folder, `upload-${Math.random()}`);
  await writeFile(path, contents);
  return keepFile(pool, await place.access(), { name, path });
}
const drawn = (width: number, height: number) => sharp({ create: { width, height, channels: 3, background: '#345' } });
const kept = async () =>
  (await readdir(process.env.LOOM_FILES ?? '', { recursive: true, withFileTypes: true })).filter((entry) =>
    entry.isFile(),
  );

describe('contents', () => {
  test.each<[string, () => Promise<Buffer> | Buffer, string, boolean]>([
    ['a.png', () => drawn(4, 4).png().toBuffer(), 'image/png', true],
    ['a.jpg', () => drawn(4, 4).jpeg().toBuffer(), 'image/jpeg', true],
    ['a.webp', () => drawn(4, 4).webp().toBuffer(), 'image/webp', true],
    // What it is called says nothing.
    [
      'a.png',
      () => Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'),
      'application/octet-stream',
      false,
    ],
    ['a.png', () => Buffer.from('<html><script>alert(1)</script></html>'), 'application/octet-stream', false],
    ['a.pdf', () => Buffer.from('%PDF-1.7\n1 0 obj\nendobj\n%%EOF'), 'application/pdf', false],
    ['notes.txt', () => Buffer.from('five frames of brood'), 'application/octet-stream', false],
  ])('%s is what its bytes say', async (name, contents, type, shown) => {
    const bytes = await contents();
    const sent = await send(home, name, bytes);
    expect(sent).toMatchObject({ name, type, size: bytes.length });
    expect(await fileAt(pool, await home.access(), sent.file)).toMatchObject({ type, shown, size: bytes.length });
  });

  test('stand once, however often and under whatever name they are sent', async () => {
    const first = await send(home, 'one.txt', 'the same');
    const before = (await kept()).length;
    const [again, there] = [await send(home, 'two.txt', 'the same'), await send(other, 'three.txt', 'the same')];
    expect([again.file, there.file]).toEqual([first.file, first.file]);
    expect((await kept()).length).toBe(before);
  });

  test('are refused when empty, and from those who only read', async () => {
    expect(await home.refused(send(home, 'none.txt', ''))).toContain('none.txt is empty');
    const path = pathJoin(folder, 'pell.txt');
    await writeFile(path, 'mine');
    expect(
      await home.refused(
        authorize(pool, pell, home.key, 'see').then((access) => keepFile(pool, access, { name: 'pell.txt', path })),
      ),
    ).toMatch(/may change records/);
  });
});

describe('small pictures', () => {
  test('keep their shape within their width, are made once, and never of what is no picture', async () => {
    const sent = await send(home, 'wide.png', await drawn(1000, 250).png().toBuffer());
    const file = await fileAt(pool, await home.access(), sent.file);
    const small = await thumbnail(file, sent.file, 320);
    expect(await sharp(small ?? '').metadata()).toMatchObject({ format: 'webp', width: 320, height: 80 });
    expect(await thumbnail(file, sent.file, 320)).toBe(small);
    const paper = await send(home, 'paper.pdf', '%PDF-1.7 nothing');
    expect(await thumbnail(await fileAt(pool, await home.access(), paper.file), paper.file, 80)).toBeNull();
    // Its first bytes say a picture, the rest does not.
    const broken = await send(home, 'broken.png', (await drawn(60, 60).png().toBuffer()).subarray(0, 60));
    expect(await thumbnail(await fileAt(pool, await home.access(), broken.file), broken.file, 80)).toBeNull();
  });
});

describe('references in records', () => {
  test('are taken for what was sent here only: a hash is no way to another workspace’s contents', async () => {
    const [mine, theirs] = [await send(home, 'mine.txt', 'home only'), await send(other, 'theirs.txt', 'other only')];
    const [made] = await home.insert('frames', { papers: [mine] });
    expect(made?.values.papers).toEqual([mine]);
    const guess = { ...mine, file: 'd'.repeat(64), name: 'guess.txt' };
    for (const wrong of [theirs, guess]) {
      expect(await home.refused(home.insert('frames', { papers: [mine, wrong] }))).toContain(
        `“${wrong.name}” was not sent to this workspace`,
      );
      expect(
        await home.refused(home.write('frames', { update: [{ id: made!.id, values: { papers: [wrong] } }] })),
      ).toContain('was not sent');
      expect(await home.refused(home.access().then((access) => fileAt(pool, access, wrong.file)))).toContain(
        'no such file',
      );
    }
    expect(await home.values('frames', 'papers')).toEqual([[mine]]);
    // What a program says of a file counts for nothing: neither its type nor its size.
    for (const claim of [
      { ...mine, type: 'image/png' },
      { ...mine, size: 1 },
    ])
      expect(await home.refused(home.insert('frames', { papers: [claim] }))).toContain('not what it is said to be');
  });
});
