import { existsSync, readdirSync, readFileSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { tmpdir } from 'node:os';
import { describe, expect, test } from 'vitest';
import { headingOf } from '$core/intake/sheets/heading';
import { problemResponse } from '$server/http/problem';
import { receiveFiles } from '$server/http/upload';
import { readIntake } from '$server/intake/intakes';
import { startLoad, undoLoad } from '$server/intake/load/loading';
import { intaking, refusalOf } from './intaking';

const { place, newAccess, bring, load, stored, until } = intaking('misuse');
const csv = (name: string, ...rows: string[]) => ({ name: `${name}.csv`, bytes: rows.join('\n') + '\n' });

describe('acid cases of CSV, by their own collection', () => {
  const folder = 'node_modules/csv-spectrum';
  // Of one file the collection gives the contents of another one.
  const files = readdirSync(`${folder}/csvs`).filter((file) => file !== 'location_coordinates.csv');
  test.each(files.map((file) => [file]))('%s', async (file) => {
    await newAccess();
    const expected = JSON.parse(readFileSync(`${folder}/json/${file.replace('.csv', '.json')}`, 'utf8')) as Record<
      string,
      string
    >[];
    const intake = await bring({ name: file, bytes: readFileSync(`${folder}/csvs/${file}`) });
    expect(intake.problem).toBeNull();
    const [sheet] = intake.sheets;
    const names = Object.keys(expected[0] ?? {});
    expect(sheet?.columns.map(({ name }) => name)).toEqual(names);
    const { rows } = await place.pool.query<Record<string, string | null>>(
      `select * from loom_staging."${sheet?.staged}" order by _row`,
    );
    // Blanks at the ends of a cell are taken away, and a line of its own is a line however it ends.
    const plain = (text: string) => text.replaceAll('\r\n', '\n').trim();
    expect(rows.map((row) => names.map((_, column) => plain(row[`c${column}`] ?? '')))).toEqual(
      expected.map((row) => names.map((name) => plain(row[name] ?? ''))),
    );
  });
});

test('two headers alike are told apart, and a blank one is called by its place', () => {
  const { names } = headingOf([
    ['hive', 'kg', 'kg', '', 'note'],
    ['H-1', '2', '3', '4', 'calm'],
    ['H-2', '6', '7', '8', 'fair'],
  ]);
  expect(names).toEqual(['hive', 'kg', 'kg 2', 'Column 4', 'note']);
});

test('what is written otherwise is read where it can be, set aside where not, and never run', async () => {
  await newAccess();
  const rows = Array.from(
    { length: 30 },
    (_, i) => `H-${i},${i}.05.2025,"1.234.567,${String(i).padStart(2, '0')}",note ${i}`,
  );
  rows[1] = 'H-1,31.02.2025,"(12)","=HYPERLINK(""http://alderfold.example"",""here"")"';
  rows[0] = 'H-0,30.05.2025,"1,5","@sum(1)"';
  const intake = await bring(csv('visits', 'hive,day,price,note', ...rows));
  expect(intake.sheets[0]?.columns.map(({ type, misfits, misfitSamples }) => [type, misfits, misfitSamples])).toEqual([
    ['text', 0, []],
    ['date', 1, ['31.02.2025']],
    ['number', 0, []],
    ['text', 0, []],
  ]);
  await load(intake.id);
  const stand = await stored('visits', 'day::text, trim_scale(price)::text as price, note');
  expect(stand[0]).toEqual({ day: '2025-05-30', price: '1.5', note: '@sum(1)' });
  // Brackets are how accounts write what is less than nothing.
  expect(stand[1]).toEqual({ day: null, price: '-12', note: '=HYPERLINK("http://alderfold.example","here")' });
  expect(stand[7]?.price).toBe('1234567.07');
});

describe('an upload', () => {
  const limits = { files: 20, size: 1_000_000, words: '1 MB' };
  const boundary = 'loom-test';
  const body = (size: number) =>
    Buffer.from(
      `--${boundary}\r\ncontent-disposition: form-data; name="files"; filename="a.csv"\r\n\r\n${'x'.repeat(size)}\r\n--${boundary}--\r\n`,
    );
  const sent = (stream: ReadableStream<Uint8Array> | Buffer) => ({
    request: new Request('http://127.0.0.1/', {
      method: 'POST',
      body: stream,
      headers: { 'content-type': `multipart/form-data; boundary=${boundary}` },
      duplex: 'half',
    } as RequestInit),
  });
  const places: string[] = [];
  const here = () => {
    places.push(join(tmpdir(), `loom-misuse-${process.pid}-${places.length}`));
    return places.at(-1) ?? '';
  };

  test('that breaks off at 60 % leaves nothing', async () => {
    const whole = body(300_000);
    let at = 0;
    const stream = new ReadableStream<Uint8Array>({
      pull(controller) {
        if (at >= whole.length * 0.6) return controller.error(new Error('connection reset'));
        controller.enqueue(whole.subarray(at, (at += 60_000)));
      },
    });
    expect(await refusalOf(receiveFiles(sent(stream), limits, here))).toBe('The upload broke off.');
    expect(places.filter((path) => existsSync(path))).toEqual([]);
  });

  test('that is too large leaves nothing', async () => {
    expect(await refusalOf(receiveFiles(sent(body(1_200_000)), limits, here))).toMatch(/a\.csv is larger than 1 MB/);
    expect(places.filter((path) => existsSync(path))).toEqual([]);
  });

  test('onto a full disk says so', async () => {
    const full = () => {
      const path = here();
      symlinkSync('/dev/full', path);
      return path;
    };
    const answer = problemResponse(
      await receiveFiles(sent(body(300_000)), limits, full).catch((error: unknown) => error),
    );
    expect([answer.status, await answer.json()]).toMatchObject([
      507,
      { detail: 'The disk of the server is full; nothing of this was kept.' },
    ]);
    expect(places.filter((path) => existsSync(path))).toEqual([]);
  });
});

test('a load that finds no room in the database says so and leaves nothing', async () => {
  await newAccess();
  const { id } = await bring(csv('hives', 'number,kg', 'A,1', 'B,2'));
  await load(id);
  const name = place.access.workspace.key;
  await place.pool.query(
    `create function "${name}".full_disk() returns trigger language plpgsql as $$ begin raise exception 'could not extend file' using errcode = '53100'; end $$`,
  );
  await place.pool.query(
    `create trigger full_disk before insert on "${name}".hives execute function "${name}".full_disk()`,
  );
  const more = await bring(csv('hives', 'number,kg', 'C,3'));
  const failed = await load(more.id);
  expect(failed).toMatchObject({
    state: 'ready',
    problem: expect.stringMatching(/no room left on the disk/) as string,
  });
  expect(await stored('hives', 'number')).toEqual([{ number: 'A' }, { number: 'B' }]);
  await place.pool.query(`drop trigger full_disk on "${name}".hives`);
  expect((await load(more.id)).state).toBe('loaded');
});

test('two loads into one table at once: both stand, or what clashes is refused row by row', async () => {
  await newAccess();
  await load((await bring(csv('hives', 'number,kg', 'A,1', 'B,2'))).id);
  const intakes = [
    await bring(csv('hives', 'number,kg', 'B,5', 'C,3', 'D,4')),
    await bring(csv('hives', 'number,kg', 'C,30', 'E,5')),
  ];
  await Promise.all(intakes.map(({ id }) => startLoad(place.pool, place.access, id)));
  const ended = await Promise.all(intakes.map(({ id }) => until(id, (state) => state !== 'loading')));
  expect(ended.map(({ state, problem }) => [state, problem])).toEqual([
    ['loaded', null],
    ['loaded', null],
  ]);
  const sums = ended
    .map(({ receipt }) => receipt?.sheets[0])
    .map(
      (sheet) =>
        (sheet?.added ?? 0) +
        (sheet?.changed ?? 0) +
        (sheet?.unchanged ?? 0) +
        (sheet?.refused ?? 0) +
        (sheet?.setAside ?? 0),
    );
  expect(sums).toEqual([3, 2]);
  expect((await stored('hives', 'number', 'number')).map(({ number }) => number)).toEqual(['A', 'B', 'C', 'D', 'E']);
  // What stands on another load is said, and the later one is undone first.
  const [first, second] = intakes.map(({ id }) => id) as [number, number];
  const order = (ended[0]?.batch ?? 0) > (ended[1]?.batch ?? 0) ? [first, second] : [second, first];
  await expect(undoLoad(place.pool, place.access, order[1] ?? 0)).rejects.toThrow(/later change/);
  for (const id of order) await undoLoad(place.pool, place.access, id);
  expect(await stored('hives', 'number, kg::int', 'number')).toEqual([
    { number: 'A', kg: 1 },
    { number: 'B', kg: 2 },
  ]);
  expect((await readIntake(place.pool, place.access, first)).state).toBe('undone');
});
