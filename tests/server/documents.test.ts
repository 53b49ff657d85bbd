import { getDocument as readPdf } from 'pdfjs-dist/legacy/build/pdf.mjs';
import PostalMime from 'postal-mime';
import sharp from 'sharp';
import { execFile } from 'node:child_process';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { promisify } from 'node:util';
import { join as joined } from 'node:path';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { keepFile } from '$server/files/store';
import { runTimed } from '$server/routines/timed';
import { sendOutgoing } from '$server/sending/outgoing';
import { answered, endpointAt } from '../safety/calling';
import { ask, at, fetched, type Asked } from './calls';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let noor: Person;
let place: Place;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('documents'));
  [ida, noor] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Noor')];
  place = await makePlace(pool, ida, 'Stall');
  await join(pool, await place.access(), noor, 'reader');
  await place.change(
    {
      do: 'addTable',
      label: 'Customers',
      fields: [text('Name'), { label: 'Member', type: 'yesNo' }, { ...text('Remark'), internal: true } as never],
    },
    {
      do: 'addTable',
      label: 'Deliveries',
      fields: [
        text('Number'),
        { label: 'Day', type: 'date' },
        { label: 'Customer', type: 'link', to: 'customers' },
        { label: 'Photo', type: 'pictures' },
      ],
    },
    {
      do: 'addTable',
      label: 'Lines',
      fields: [
        text('What'),
        { label: 'Jars', type: 'number', digits: 0 },
        { label: 'Price', type: 'money', currency: 'EUR', digits: 2 },
        { label: 'Delivery', type: 'link', to: 'deliveries' },
      ],
    },
    { do: 'addTable', label: 'Marks', fields: [text('Word'), { label: 'Line', type: 'link', to: 'lines' }] },
  );
  await place.insert(
    'customers',
    { name: 'Ashby & <Sons>', member: true, remark: 'pays late' },
    { name: 'Öre Café', member: false, remark: 'a friend' },
  );
  await place.insert(
    'deliveries',
    { number: 'D-1', day: '2026-05-16', customer: 1 },
    { number: 'D-2', day: '2026-05-17', customer: 2 },
    { number: 'D-3', day: '2026-05-18', customer: 1 },
  );
  await place.insert(
    'lines',
    ...Array.from({ length: 40 }, (_, n) => ({
      what: `Heather ${String(40 - n).padStart(2, '0')}`,
      jars: n + 1,
      price: 1250.5,
      delivery: 1,
    })),
    { what: 'Lime', jars: 3, price: 2, delivery: 2 },
  );
  await place.insert('marks', { word: 'organic', line: 1 }, { word: 'late', line: 1 }, { word: 'organic', line: 41 });
});
afterAll(() => drop());

const words = (...content: unknown[]) => ({ type: 'paragraph', content });
const plain = (said: string, ...marks: string[]) => ({
  type: 'text',
  text: said,
  ...(marks.length > 0 ? { marks: marks.map((type) => ({ type })) } : {}),
});
const field = (formula: string) => ({ type: 'field', attrs: { formula } });
const cell = (...content: unknown[]) => ({ type: 'tableCell', content: [words(...content)] });
const headCell = (said: string) => ({ type: 'tableHeader', content: [words(plain(said))] });

const note = (more: Asked = {}): Asked => ({
  label: `Note ${Math.random()}`,
  paper: { size: 'A5', landscape: false, margins: [20, 15, 20, 15] },
  header: [words(plain('The stall'))],
  footer: [
    words(plain('page '), { type: 'pageNumber' }, plain(' of '), { type: 'pageNumber', attrs: { count: true } }),
  ],
  body: [
    { type: 'heading', attrs: { level: 1 }, content: [plain('Delivery '), field('number')] },
    words(plain('To '), field('customer'), plain(' on '), field('day')),
    {
      type: 'table',
      attrs: { lines: true },
      content: [
        { type: 'tableRow', content: [headCell('What'), headCell('Jars'), headCell('Price')] },
        {
          type: 'tableRow',
          attrs: { over: 'lines', sort: 'what', where: 'jars > 1' },
          content: [cell(field('what')), cell(field('jars')), cell(field('price'))],
        },
        { type: 'tableRow', content: [cell(plain('Sum', 'bold')), cell(field('sum(lines.jars)')), cell()] },
      ],
    },
    { type: 'part', attrs: { when: 'customer.member' }, content: [words(plain('Members take 5 % off.'))] },
  ],
  ...more,
});

async function make(document: Asked): Promise<string> {
  const { status, text: said } = await ask(pool, ida, 'POST', at(place, '/tables/deliveries/documents'), { document });
  if (status !== 200) throw new Error(said);
  return (JSON.parse(said) as { id: string }).id;
}

async function bytesOf(path: string, by = ida): Promise<Uint8Array> {
  const whole = at(place, `/tables/deliveries/documents/${path}`);
  const { endpoint, params } = endpointAt('GET', whole.split('?')[0] ?? '');
  const response = await answered(pool, by, endpoint, params, new Request(`http://loom.example${whole}`));
  const bytes = new Uint8Array(await response.arrayBuffer());
  if (response.status !== 200) throw new Error(`${response.status} ${new TextDecoder().decode(bytes)}`);
  return bytes;
}

interface ReadPage {
  readonly text: string;
  readonly fonts: readonly string[];
}

/** A PDF read back by another program: the text of each page in the order in which it was put there. */
async function pagesOf(bytes: Uint8Array): Promise<ReadPage[]> {
  const loading = readPdf({ data: bytes.slice(), useSystemFonts: false, verbosity: 0 });
  const pdf = await loading.promise;
  const pages: ReadPage[] = [];
  for (let number = 1; number <= pdf.numPages; number++) {
    const page = await pdf.getPage(number);
    const { items, styles } = await page.getTextContent();
    pages.push({
      text: items
        .map((item) => ('str' in item ? item.str : ''))
        .join(' ')
        .replaceAll(/\s+/g, ' '),
      fonts: Object.keys(styles),
    });
  }
  await loading.destroy();
  return pages;
}

const tried = async (document: Asked, record = 1, by = ida) => {
  const path = at(place, '/tables/deliveries/documents/try');
  const { status, text: said } = await ask(pool, by, 'POST', path, { document, record, language: 'en-GB' });
  return { status, said, ...(JSON.parse(said) as { html: string; pages: number; notes: string[]; detail?: string }) };
};

describe('a document for one record', () => {
  test('as a PDF: its lines in order on pages with their head, sums, numbers of pages, fonts in it', async () => {
    const id = await make(note());
    const bytes = await bytesOf(`${id}/made?records=1&language=de-AT`);
    const raw = Buffer.from(bytes).toString('latin1');
    expect(raw).toMatch(/\/StructTreeRoot/);
    expect(raw).toMatch(/\/Lang \(de-AT\)/);
    // Whatever is shown is shown with a font that is in the file.
    expect(raw.match(/\/FontFile2/g)?.length).toBeGreaterThan(0);
    const pages = await pagesOf(bytes);
    expect(pages.length).toBe(2);
    expect(pages[0]?.text).toMatch(
      /^The stall Delivery D-1 To Ashby & <Sons> on 16\. Mai 2026 What Jars Price Heather 01/,
    );
    pages.forEach(({ text: said }, index) => {
      expect(said).toContain('The stall');
      expect(said).toContain('What Jars Price');
      expect(said).toContain(`page ${index + 1} of 2`);
    });
    const all = pages.map(({ text: said }) => said).join(' ');
    const shown = [...all.matchAll(/Heather (\d\d) (\d+) ([\d., \u00a0]+) EUR/g)];
    expect(shown.map(([, number]) => Number(number))).toEqual(Array.from({ length: 39 }, (_, n) => n + 1));
    expect(shown[0]?.[2]).toBe('40');
    expect(shown[0]?.[3]?.replaceAll(/\s/g, '')).toMatch(/^1\.?250,50$/);
    expect(all).toContain('Sum 820');
    expect(all).toContain('Members take 5 % off.');
  });

  test('what has a condition is there for those alone who meet it; markup in values is text', async () => {
    const [first, second] = [await tried(note(), 1), await tried(note(), 2)];
    expect(first.html).toContain('Members take 5 % off.');
    expect(first.html).toContain('Ashby &amp; &lt;Sons&gt;');
    expect(first.html).not.toContain('<Sons>');
    expect(first.html).toContain('16 May 2026');
    expect(first.pages).toBe(2);
    expect(second.html).not.toContain('Members');
    expect(second.html).toContain('Lime');
    expect(second.notes).toEqual([]);
  });

  test('a part repeated within a repeated one; links over two tables; none is none', async () => {
    const over = (path: string, ...content: unknown[]) => ({
      type: 'repeat',
      attrs: { over: path, sort: '-word' },
      content,
    });
    const nested = note({
      body: [
        {
          type: 'repeat',
          attrs: { over: 'lines', where: 'count(marks) > 0' },
          content: [words(field('what')), over('marks', words(plain('mark '), field('word')))],
        },
        over('lines.marks', words(plain('all '), field('word'))),
      ],
    });
    const shown = async (record: number) =>
      [...(await tried(nested, record)).html.matchAll(/<p class="left">([^<]+)<\/p>/g)]
        .map(([, said]) => said)
        .filter((said) => !/stall|page/.test(said ?? ''));
    expect(await shown(1)).toEqual(['Heather 40', 'mark organic', 'mark late', 'all organic', 'all late']);
    expect(await shown(2)).toEqual(['Lime', 'mark organic', 'all organic']);
    expect(await shown(3)).toEqual([]);
  });

  test('a row that is repeated can have a condition of its own, over the record that it stands for', async () => {
    const when = "what <> 'Heather 02' and jars > 37";
    const row = { type: 'tableRow', attrs: { over: 'lines', sort: 'what', when }, content: [cell(field('what'))] };
    const { html } = await tried(note({ body: [{ type: 'table', content: [row] }] }));
    expect(html.match(/Heather \d\d/g)).toEqual(['Heather 01', 'Heather 03']);
  });

  test('as a text document the same words stand in the same order', async () => {
    const id = await make(note());
    const xml = await fetched(place, at(place, `/tables/deliveries/documents/${id}/made?records=1&as=docx`));
    const said = [...xml.matchAll(/<w:t[^>]*>([^<]*)<\/w:t>/g)].map(([, one]) => one).join('');
    expect(said).toContain('Delivery D-1');
    expect(said).toContain('Ashby &amp; &lt;Sons&gt;');
    expect(said.indexOf('Heather 01')).toBeLessThan(said.indexOf('Heather 39'));
    expect(said).toContain('Sum820');
    expect(xml).toContain('NUMPAGES');
    expect(xml).toContain('<w:tblHeader');
  });

  /** Where an office suite is there, another program opens it; elsewhere the test is skipped, and said to be. */
  test.runIf(existsSync('/usr/bin/soffice'))(
    'another program reads of the text document what stands in the PDF, line for line',
    async () => {
      const id = await make(note());
      const folder = mkdtempSync(joined(tmpdir(), 'loom-docx-'));
      const docx = joined(folder, 'note.docx');
      writeFileSync(docx, await bytesOf(`${id}/made?records=1&as=docx&language=de-AT`));
      const profile = `-env:UserInstallation=file://${joined(folder, 'profile')}`;
      await promisify(execFile)('/usr/bin/soffice', [
        profile,
        '--headless',
        '--convert-to',
        'pdf',
        '--outdir',
        folder,
        docx,
      ]);
      const wordsOf = async (bytes: Uint8Array) =>
        (await pagesOf(bytes))
          .map(({ text: said }) => said.replaceAll(/The stall|page \d+ of \d+|What Jars Price/g, ''))
          .join(' ')
          .replaceAll(/\s+/g, '');
      const theirs = await wordsOf(new Uint8Array(readFileSync(joined(folder, 'note.pdf'))));
      expect(theirs).toBe(await wordsOf(await bytesOf(`${id}/made?records=1&language=de-AT`)));
    },
    60_000,
  );
});

describe('for many records', () => {
  test('in one file, each from a page of its own, in the order of the view; or one file each', async () => {
    const id = await make(note());
    const pages = await pagesOf(await bytesOf(`${id}/made?sort=-day`));
    expect(pages.map(({ text: said }) => /Delivery (D-\d)/.exec(said)?.[1])).toEqual(['D-3', 'D-2', 'D-1', undefined]);
    expect(pages.map(({ text: said }) => /page (\d of \d)/.exec(said)?.[1])).toEqual([
      '1 of 1',
      '1 of 1',
      '1 of 2',
      '2 of 2',
    ]);
    const filtered = await pagesOf(await bytesOf(`${id}/made?filter=${encodeURIComponent('customer.member')}`));
    expect(filtered.length).toBe(3);
    const archive = Buffer.from(await bytesOf(`${id}/made?each=true&as=html`)).toString('latin1');
    for (const name of ['D-1.html', 'D-2.html', 'D-3.html']) expect(archive).toContain(name);
  });

  test('told how far it is, kept for whoever asked, and gone where it is stopped', async () => {
    const id = await make(note());
    const path = at(place, `/tables/deliveries/documents/${id}/made`);
    const { endpoint, params } = endpointAt('POST', path);
    const asked = (body: Asked) =>
      answered(
        pool,
        ida,
        endpoint,
        params,
        new Request(`http://loom.example${path}`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify(body),
        }),
      );
    const lines = (await (await asked({ sort: 'day' })).text()).trim().split('\n');
    const last = JSON.parse(lines.at(-1) ?? '') as { made: number; count: number; bytes: number; file: string };
    expect(last).toMatchObject({ made: 3, count: 3 });
    const kept = async (by: Person) => {
      const found = endpointAt('GET', last.file.split('?')[0] ?? '');
      return answered(pool, by, found.endpoint, found.params, new Request(`http://loom.example${last.file}`));
    };
    const file = await kept(ida);
    const bytes = new Uint8Array(await file.arrayBuffer());
    expect(bytes.length).toBe(last.bytes);
    expect((await pagesOf(bytes)).length).toBe(4);
    // Nobody else finds it, whoever tells them where it is.
    expect((await kept(noor)).status).toBe(404);
    const held = () => readdirSync(joined(process.env.LOOM_FILES ?? joined('.loom', 'files'), 'made')).length;
    const before = held();
    const stopped = await asked({ records: [1, 2, 3] });
    await stopped.body?.cancel();
    await expect.poll(held).toBe(before);
    const none = (await (await asked({ records: [999_999] })).text()).trim().split('\n');
    expect(JSON.parse(none.at(-1) ?? '')).toMatchObject({ problem: { message: 'There is no record to make it for.' } });
  });

  test('labels of a sheet with codes: 24 a page, from the place that is free', async () => {
    const rows = Array.from({ length: 50 }, (_, n) => ({ number: `L-${n}`, day: '2026-06-01' }));
    const records = await place.insert('deliveries', ...rows);
    const ids = records.map(({ id }) => id);
    const id = await make(
      note({
        paper: { size: 'A4', landscape: false, margins: [10, 5, 10, 5] },
        labels: { columns: 3, rows: 8, width: 64, height: 34, across: 66, down: 34.5 },
        header: [],
        footer: [],
        body: [words(field('number')), { type: 'code', attrs: { width: 20 } }],
      }),
    );
    const pages = await pagesOf(await bytesOf(`${id}/made?records=${ids.join()}`));
    expect(pages.map(({ text: said }) => said.match(/L-\d+/g)?.length)).toEqual([24, 24, 2]);
    expect(pages[0]?.text).toContain('L-0 L-1 L-2');
    const later = await pagesOf(await bytesOf(`${id}/made?records=${ids.join()}&skip=20`));
    expect(later.map(({ text: said }) => said.match(/L-\d+/g)?.length)).toEqual([4, 24, 22]);
    for (const wrong of ['as=docx', 'skip=24', `records=999999`, "filter=number = 'none'"]) {
      const path = `/tables/deliveries/documents/${id}/made?${encodeURI(wrong)}`;
      expect([wrong, (await ask(pool, ida, 'GET', at(place, path))).status]).toEqual([wrong, 422]);
    }
    await place.write('deliveries', { delete: ids.map((one) => ({ id: one })) } as never);
  });
});

describe('what somebody may not see', () => {
  test('is in no document, no page of it, and not in how it is written', async () => {
    const id = await make(
      note({
        body: [
          words(plain('Seen '), field('number'), plain('remark '), field('customer.remark')),
          { type: 'part', attrs: { when: "customer.remark = 'pays late'" }, content: [words(plain('a warning'))] },
        ],
      }),
    );
    const mine = await pagesOf(await bytesOf(`${id}/made?records=1`));
    expect(mine[0]?.text).toContain('pays late');
    expect(mine[0]?.text).toContain('a warning');
    const theirs = await pagesOf(await bytesOf(`${id}/made?records=1`, noor));
    expect(theirs[0]?.text).toContain('Seen D-1');
    expect(theirs[0]?.text).not.toMatch(/pays late|a warning/);
    const read = await ask(pool, noor, 'GET', at(place, `/tables/deliveries/documents/${id}`));
    expect(read.status).toBe(200);
    expect(read.text).not.toMatch(/customer\.remark|a warning/);
    const asked = note({ body: [words(field('customer.remark'))] });
    expect((await tried(asked, 1, noor)).status).toBe(422);
    expect(
      (await ask(pool, noor, 'POST', at(place, '/tables/deliveries/documents'), { document: note() })).status,
    ).toBe(403);
    expect(
      (await ask(pool, noor, 'PATCH', at(place, `/tables/deliveries/documents/${id}`), { document: {} })).status,
    ).toBe(403);
  });
});

test('who may not take data out makes a document of one record, and not of several', async () => {
  const jo = await makePerson(pool, 'Jo');
  const role = await ask(pool, ida, 'POST', at(place, '/roles'), {
    label: 'Looks',
    workspace: [],
    others: { see: true },
  });
  const added = await ask(pool, ida, 'POST', at(place, '/members'), { person: jo.id, role: String(role.answer.id) });
  expect([role.status, added.status]).toEqual([200, 200]);
  const id = await make(note());
  expect((await pagesOf(await bytesOf(`${id}/made?records=2`, jo))).length).toBe(1);
  for (const several of ['records=1,2', '', 'filter=customer.member'])
    await expect(bytesOf(`${id}/made?${several}`, jo)).rejects.toThrow(/^403/);
});

describe('as the structure changes', () => {
  test('a renamed field is followed; a deleted one is left out and said; an undo brings it back; it travels', async () => {
    await place.change({ do: 'addField', table: 'deliveries', field: text('Van') });
    await place.insert('deliveries', { number: 'V', van: 'green' });
    const [v] = (await pool.query<{ id: number }>(`select _id as id from ${place.key}.deliveries where number = 'V'`))
      .rows;
    const id = await make(note({ body: [words(plain('van '), field('van'), plain(' end'))] }));
    await place.change({ do: 'changeField', table: 'deliveries', field: 'van', set: { key: 'lorry' } } as never);
    const read = () => ask(pool, ida, 'GET', at(place, `/tables/deliveries/documents/${id}`));
    expect((await read()).text).toContain('"formula":"lorry"');
    const structure = JSON.parse(await fetched(place, at(place, '/export?format=structure'))) as Asked;
    const other = await makePlace(pool, ida, `Other ${Math.random()}`);
    const plan = await ask(pool, ida, 'POST', at(other, '/structure/import'), structure);
    expect([plan.status, plan.text.slice(0, 300)]).toEqual([200, expect.anything()]);
    await ask(pool, ida, 'POST', at(other, `/plans/${String(plan.answer.id)}/apply`));
    const documents = async (of: Place) => {
      const { tables } = (await ask(pool, ida, 'GET', at(of, '/model'))).answer as { tables: { documents: unknown }[] };
      return JSON.stringify(
        tables.map((table) => table.documents),
        (name, value: unknown) => (name === 'id' ? undefined : value),
      );
    };
    expect(await documents(other)).toBe(await documents(place));
    expect(await documents(other)).toContain('lorry');
    const batch = await place.change({ do: 'removeField', table: 'deliveries', field: 'lorry' } as never);
    expect((await read()).answer.lost).toEqual([expect.stringMatching(/deleted/)]);
    const pages = await pagesOf(await bytesOf(`${id}/made?records=${v?.id}`));
    expect(pages[0]?.text).toContain('van end');
    await place.undo(batch);
    expect((await pagesOf(await bytesOf(`${id}/made?records=${v?.id}`)))[0]?.text).toContain('van green end');
    // Saved by two: the second is told.
    const { saved } = (await read()).answer as { saved: Asked };
    const patch = (body: Asked) => ask(pool, ida, 'PATCH', at(place, `/tables/deliveries/documents/${id}`), body);
    expect((await patch({ document: { ...saved, description: 'one' }, over: saved })).status).toBe(200);
    expect((await patch({ document: { ...saved, description: 'two' }, over: saved })).status).toBe(409);
  });
});

describe('attached to a message of a routine', () => {
  test('it goes as a PDF, as whoever keeps the routine sees it; what cannot be made is tried again and said', async () => {
    const label = `Note ${Math.random()}`;
    const id = await make(note({ label, body: [words(plain('for '), field('number'))] }));
    const step = {
      do: 'write',
      to: [{ formula: "'stall@alderfold.example'" }],
      subject: 'Note {number}',
      text: 'See it.',
    };
    const part = { label: 'Tell the stall', on: true, when: { on: 'made' }, steps: [{ ...step, document: label }] };
    const wrong = { ...part, steps: [{ ...step, document: 'none' }] };
    await expect(
      place.change({ do: 'addPart', kind: 'routine', table: 'deliveries', part: wrong } as never),
    ).rejects.toThrow(/no document/);
    await place.change({ do: 'addPart', kind: 'routine', table: 'deliveries', part } as never);
    const { items } = (await ask(pool, ida, 'GET', at(place, '/routines'))).answer as {
      items: { id: string; sentence: string }[];
    };
    expect(items[0]?.sentence).toContain(`with “${label}” attached`);
    await ask(pool, ida, 'POST', at(place, '/tables/deliveries/routines/try'), { routine: items[0]?.id, record: 1 });
    await place.insert('deliveries', { number: 'A-7' });
    const waiting = async () =>
      (await pool.query<{ id: number }>(`select id from loom.outgoing where state = 'waiting' order by id`)).rows;
    for (const one of await waiting()) await sendOutgoing(pool, one.id, false);
    const { rows } = await pool.query<{ mail: string }>(`select mail from loom.outbox order by id desc limit 1`);
    const { attachments, subject } = await PostalMime.parse(rows[0]?.mail ?? '');
    expect(subject).toBe('Note A-7');
    expect(attachments.map(({ filename, mimeType }) => [filename, mimeType])).toEqual([
      [`${label}.pdf`, 'application/pdf'],
    ]);
    const [page] = await pagesOf(new Uint8Array(attachments[0]?.content as ArrayBuffer));
    expect(page?.text).toContain('for A-7');
    // What waits when it is deleted fails and says so; after that the routine is held, and says so itself.
    await place.insert('deliveries', { number: 'A-8' });
    await ask(pool, ida, 'DELETE', at(place, `/tables/deliveries/documents/${id}`));
    expect((await ask(pool, ida, 'GET', at(place, '/routines'))).answer.items).toMatchObject([
      { sentence: expect.stringContaining('attached') as string, lost: ['what it attaches was deleted'] },
    ]);
    const before = (await waiting()).length;
    await place.insert('deliveries', { number: 'A-9' });
    expect((await waiting()).length).toBe(before);
    for (const one of await waiting()) await expect(sendOutgoing(pool, one.id, true)).rejects.toThrow(/was deleted/);
    const failed = await pool.query<{ answer: string }>(`select answer from loom.outgoing where state = 'failed'`);
    expect(failed.rows[0]?.answer).toMatch(/was deleted/);
    await place.change({ do: 'removePart', kind: 'routine', table: 'deliveries', part: items[0]?.id } as never);
  });
});

describe('the page of a summary', () => {
  const blocks = [
    {
      kind: 'number',
      title: 'Jars',
      place: { x: 0, y: 0, w: 4, h: 2 },
      table: 'lines',
      measures: [{ total: 'sum', of: 'jars' }],
    },
    {
      kind: 'chart',
      chart: 'bars',
      title: 'Jars by customer',
      place: { x: 4, y: 0, w: 8, h: 5 },
      table: 'lines',
      measures: [{ total: 'sum', of: 'jars' }],
      groups: 'delivery.customer',
    },
    {
      kind: 'table',
      title: 'Lines by day',
      place: { x: 0, y: 5, w: 6, h: 4 },
      table: 'lines',
      measures: [{ total: 'count' }],
      groups: 'delivery.day:month',
    },
    { kind: 'text', title: '', place: { x: 6, y: 5, w: 6, h: 2 }, text: 'Told **once** a week.' },
    { kind: 'list', title: 'Customers', place: { x: 6, y: 7, w: 6, h: 2 }, table: 'customers', view: 'all', most: 5 },
    {
      kind: 'table',
      title: 'By remark',
      place: { x: 0, y: 9, w: 6, h: 4 },
      table: 'customers',
      measures: [{ total: 'count' }],
      groups: 'remark',
    },
  ];

  test('as a PDF has its numbers, charts with their words, tables and lists; of nobody’s more than they see', async () => {
    const body = { summary: { label: 'The week', description: 'For the stall', blocks }, personal: false };
    const { answer } = await ask(pool, ida, 'POST', at(place, '/summaries'), body);
    const pdf = async (by: Person) => {
      const path = at(place, `/summaries/${String(answer.id)}/pdf`);
      const { endpoint, params } = endpointAt('GET', path);
      const response = await answered(pool, by, endpoint, params, new Request(`http://loom.example${path}`));
      expect(response.status).toBe(200);
      return (await pagesOf(new Uint8Array(await response.arrayBuffer()))).map(({ text: said }) => said).join(' ');
    };
    const { rows } = await pool.query<{ n: number }>(`select sum(jars)::int as n from ${place.key}.lines`);
    const mine = await pdf(ida);
    for (const said of [
      'The week',
      'For the stall',
      'Jars by customer',
      'Told once a week.',
      'Customers',
      'By remark',
      'pays late',
    ])
      expect(mine).toContain(said);
    expect(mine).toContain(String(rows[0]?.n));
    // What stands along the axis of the chart is text of the file.
    expect(mine.match(/Ashby & <Sons>/g)?.length).toBeGreaterThan(1);
    const theirs = await pdf(noor);
    expect(theirs).toContain('Jars by customer');
    expect(theirs).not.toMatch(/pays late|By remark/);

    // By a routine on a timetable.
    const step = {
      do: 'write',
      to: [{ formula: "'lead@alderfold.example'" }],
      subject: 'The week',
      text: '-',
      summary: 'The week',
    };
    const part = {
      label: 'Monday',
      on: true,
      when: { on: 'timetable', every: 'week', day: 1, hour: 7 },
      steps: [step],
    };
    await place.change({ do: 'addPart', kind: 'routine', table: 'customers', part } as never);
    const { items } = (await ask(pool, ida, 'GET', at(place, '/routines'))).answer as {
      items: { id: string; sentence: string }[];
    };
    const routine = items.find(({ sentence }) => sentence.includes('“The week” attached'))?.id;
    const attempt = await ask(pool, ida, 'POST', at(place, '/tables/customers/routines/try'), { routine, record: 2 });
    expect(attempt.answer).toMatchObject({ met: true, problem: null });
    await pool.query(`update loom.routines set done_through = null where id = $1`, [routine]);
    expect(await runTimed(pool, new Date('2026-11-30T09:00:00Z'))).toBe(1);
    const waiting = await pool.query<{ id: number }>(`select id from loom.outgoing where state = 'waiting'`);
    // It goes for all customers, and says nothing of any: once.
    expect(waiting.rows.length).toBe(1);
    for (const one of waiting.rows) await sendOutgoing(pool, one.id, false);
    const sent = await pool.query<{ mail: string }>(`select mail from loom.outbox order by id desc limit 1`);
    const { attachments } = await PostalMime.parse(sent.rows[0]?.mail ?? '');
    expect(attachments.map(({ filename }) => filename)).toEqual(['The week.pdf']);
    expect((await pagesOf(new Uint8Array(attachments[0]?.content as ArrayBuffer)))[0]?.text).toContain(
      'Jars by customer',
    );
    await place.change({ do: 'removePart', kind: 'routine', table: 'customers', part: routine } as never);
  });
});

describe('what nobody meant', () => {
  const refused: readonly [string, Asked, RegExp][] = [
    ['a field that is not there', { body: [words(field('nothing'))] }, /nothing/],
    ['a formula that is none', { body: [words(field('1 +'))] }, /./],
    ['a block in a line', { body: [words({ type: 'table', content: [] })] }, /cannot stand here/],
    [
      'a repetition of a link to one',
      { body: [{ type: 'repeat', attrs: { over: 'customer' }, content: [] }] },
      /one record/,
    ],
    ['a repetition of nothing', { body: [{ type: 'repeat', attrs: {}, content: [] }] }, /not chosen yet/],
    [
      'a field over the wrong table',
      { body: [{ type: 'repeat', attrs: { over: 'lines' }, content: [words(field('number'))] }] },
      /number/,
    ],
    ['a condition that is a number', { body: [{ type: 'part', attrs: { when: 'count(lines)' }, content: [] }] }, /./],
    [
      'a part that is nothing',
      {
        body: [
          {
            type: 'paragraph',
            content: [
              { type: 'text', text: 'a', marks: [null] },
              { type: 'field', attrs: 'x' },
            ],
          },
        ],
      },
      /not chosen/,
    ],
    [
      'a list of nothing',
      { body: [{ type: 'bulletList', content: [{ type: 'listItem', content: [null] }] }] },
      /no part of a document/,
    ],
    [
      'a heading between two',
      { body: [{ type: 'repeat', attrs: { over: 'lines' }, content: [{ type: 'heading', attrs: { level: 1.5 } }] }] },
      /between 1 and 3/,
    ],
    ['a page number on the page', { body: [words({ type: 'pageNumber' })] }, /header or the footer/],
    ['margins without room', { paper: { size: 'A6', margins: [70, 70, 70, 70] } }, /no room/],
    ['more labels than paper', { labels: { columns: 9, rows: 9, width: 60, height: 60 } }, /labels need/],
  ];
  test.each(refused)('%s is refused with its place', async (_, more, words_) => {
    const { status, detail } = await tried(note(more));
    expect([status, detail]).toEqual([422, expect.stringMatching(words_)]);
  });

  test('parts within parts without end are refused, not followed', async () => {
    let deep: Asked = words(plain('x'));
    for (let n = 0; n < 60; n++) deep = { type: 'part', attrs: { when: 'true' }, content: [deep] };
    expect((await tried(note({ body: [deep] }))).status).toBe(422);
  });

  test('parts within parts over a ring of links end, and it is said; a formula without a value leaves a blank', async () => {
    let ring: Asked = words(field('what'));
    for (let n = 0; n < 6; n++)
      ring = { type: 'repeat', attrs: { over: n === 5 ? 'lines' : 'delivery.lines' }, content: [ring] };
    const began = Date.now();
    const { status, detail } = await tried(note({ body: [ring] }));
    expect([status, detail]).toEqual([422, expect.stringMatching(/more than 20,000 times/)]);
    expect(Date.now() - began).toBeLessThan(10_000);
    const blank = await tried(
      note({ body: [words(plain('['), field('1 / (count(lines) - count(lines))'), plain(']'))] }),
    );
    expect([blank.status, blank.html]).toEqual([200, expect.stringContaining('[]')]);
  });

  test('more than a code holds is left out and said; what XML cannot write is in no text document', async () => {
    const [long] = await place.insert('deliveries', { number: 'x'.repeat(3000) });
    const coded = await tried(note({ body: [{ type: 'code', attrs: { formula: 'number' } }] }), long?.id);
    expect(coded.notes.join()).toMatch(/600 characters/);
    const id = await make(note({ body: [words(plain('a\u0001\u000bb'))] }));
    const xml = await fetched(place, at(place, `/tables/deliveries/documents/${id}/made?records=1&as=docx`));
    expect(xml).toContain('>ab<');
    await pool.query(`delete from ${place.key}.deliveries where _id = ${long?.id}`);
  });

  test('a row higher than a page goes on over pages; nothing of it is lost', async () => {
    const long = Array.from({ length: 300 }, (_, n) => `word${n}`);
    const [row] = await place.insert('deliveries', { number: 'R', day: '2026-07-01' });
    await place.insert('lines', { what: long.join(' '), jars: 2, price: 1, delivery: row?.id });
    const body = [
      {
        type: 'table',
        content: [
          { type: 'tableRow', content: [headCell('What'), headCell('Price')] },
          { type: 'tableRow', attrs: { over: 'lines' }, content: [cell(field('what')), cell(field('price'))] },
        ],
      },
    ];
    const id = await make(note({ paper: { size: 'A6', margins: [30, 30, 30, 30] }, body }));
    const pages = await pagesOf(await bytesOf(`${id}/made?records=${row?.id}`));
    expect(pages.length).toBeGreaterThan(5);
    const all = pages.map(({ text: said }) => said).join(' ');
    expect(all.match(/word\d+/g)).toEqual(long);
    for (const { text: said } of pages) expect(said).toContain('What');
  });

  test('letters of other scripts: what a font has is shown, from the right where it is read so; what none has is said', async () => {
    const said = 'שלום עולם';
    const right = await tried(note({ body: [words(plain(said)), words(plain('★ → Ω ж'))] }));
    expect(right.notes).toEqual([]);
    const id = await make(note({ body: [words(plain(said))] }));
    const [page] = await pagesOf(await bytesOf(`${id}/made?records=1`));
    expect([...(page?.text ?? '')].filter((letter) => /\p{Script=Hebrew}/u.test(letter)).length).toBe(8);
    const east = await tried(note({ body: [words(plain('蜂蜜 honey'))] }));
    expect(east.notes.join()).toMatch(/蜂 蜜/);
    expect(east.html).toContain('蜂蜜');
  });

  test('pictures: made small, scaled to the page; what is no picture is said', async () => {
    const folder = mkdtempSync(joined(tmpdir(), 'loom-pictures-'));
    const keep = async (name: string, bytes: Buffer) => {
      const path = joined(folder, name);
      writeFileSync(path, bytes);
      return keepFile(pool, await place.access(), { path, name } as never);
    };
    const huge = await sharp({ create: { width: 9000, height: 7000, channels: 3, background: '#c89b3c' } })
      .png({ compressionLevel: 0 })
      .toBuffer();
    expect(huge.length).toBeGreaterThan(60_000_000);
    const logo = await keep('huge.png', huge);
    const broken = await keep('broken.png', Buffer.concat([huge.subarray(0, 2000), Buffer.alloc(20)]));
    const picture = (file: string, width = 400) => ({ type: 'picture', attrs: { file, width, alt: 'The stall' } });
    const id = await make(note({ body: [picture(logo.file)] }));
    const bytes = await bytesOf(`${id}/made?records=1`);
    expect(bytes.length).toBeLessThan(3_000_000);
    expect((await pagesOf(bytes)).length).toBe(1);
    expect(Buffer.from(bytes).toString('latin1')).toContain('/Alt (The stall)');
    const none = await tried(note({ body: [picture(broken.file), picture('0'.repeat(64))] }));
    expect(none.notes.join()).toMatch(/picture/);
    expect(none.html).not.toContain('<img');
    // A record's own pictures.
    const [shown] = await place.insert('deliveries', { number: 'P', photo: [logo] });
    const own = await tried(note({ body: [{ type: 'picture', attrs: { formula: 'photo', width: 40 } }] }), shown?.id);
    expect(own.html.match(/<img/g)?.length).toBe(1);
  });
});
