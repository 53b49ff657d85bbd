import Ajv from 'ajv/dist/2020';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { AskedData } from '$core/summaries/data';
import type { Template } from '$core/types/template';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import type { BlockData } from '$server/summaries/data';
import type { TableBeside } from '$server/templates/uses';
import { shippedTemplates } from '$server/templates/shipped';
import { ask, at, type Asked } from './calls';
import { freshDatabase, makePerson } from './database';
import { makePlace, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let noor: Person;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('templates'));
  [ida, noor] = [await makePerson(pool, 'Ida'), await makePerson(pool, 'Noor')];
});
afterAll(() => drop());

/** A call that has to succeed. */
async function done<T = Asked>(method: string, path: string, body?: unknown, by = ida): Promise<T> {
  const { status, text, answer } = await ask(pool, by, method, path, body);
  if (status !== 200) throw new Error(`${method} ${path}: ${text}`);
  return answer as T;
}

interface Planned {
  readonly use: number;
  readonly plan: { readonly possible: boolean; readonly effects: readonly { readonly change: string }[] };
  readonly notes: readonly string[];
}
interface Used {
  readonly batch: number;
  readonly tables: readonly string[];
  readonly samples: number;
}

async function applied(place: Place, template: unknown, more: Asked = {}): Promise<Used & Pick<Planned, 'notes'>> {
  const planned = await done<Planned>('POST', at(place, '/templates/plan'), { template, ...more });
  expect(planned.plan.possible).toBe(true);
  const used = await done<Used>('POST', at(place, '/templates/apply'), { use: planned.use });
  return { ...used, notes: planned.notes };
}

const samplesOf = ({ samples }: Template): number => Object.values(samples).reduce((sum, rows) => sum + rows.length, 0);

/** What one person enters by the first form of each template, and the block of its summary that counts it. */
const filled: Readonly<Record<string, { table: string; values: Asked; counts: string; adds: number }>> = {
  'stock-with-movements': {
    table: 'movements',
    values: { article: 1, kind: 'received', amount: 5, day: '2026-05-14' },
    counts: 'In stock by article',
    adds: 5,
  },
  'lending-library': { table: 'loans', values: { member: 1, due_on: '2026-06-04' }, counts: 'Loans by month', adds: 1 },
  'clinic-appointments': {
    table: 'appointments',
    values: { patient: 1, service: 2, seen_by: 1, at: '2026-05-20T09:00:00Z' },
    counts: 'Appointments',
    adds: 1,
  },
  'repair-shop': { table: 'jobs', values: { customer: 1, thing: 'Kettle' }, counts: 'In the shop', adds: 1 },
  orchard: { table: 'pickings', values: { tree: 3, kg: 12.5, quality: 'table' }, counts: 'Kg picked', adds: 12.5 },
  choir: {
    table: 'attendance',
    values: { rehearsal: 6, singer: 1, state: 'there' },
    counts: 'Singers at each rehearsal',
    adds: 1,
  },
  'village-hall': {
    table: 'bookings',
    values: { room: 1, hirer: 1, day: '2026-06-01', from_hour: 9, to_hour: 12 },
    counts: 'Hours booked',
    adds: 3,
  },
  'grant-programme': {
    table: 'applications',
    values: { title: 'New stage', applicant: 1, round: 2, asked: 900 },
    counts: 'Asked for',
    adds: 900,
  },
  'museum-loans': {
    table: 'loans',
    values: { object: 1, borrower: 1, goes_on: '2026-06-01', due_back_on: '2026-09-01' },
    counts: 'Out or to come',
    adds: 1,
  },
  'school-courses': {
    table: 'enrolments',
    values: { course: 1, student: 1, state: 'enrolled' },
    counts: 'Enrolments',
    adds: 1,
  },
  'community-kitchen': {
    table: 'meals',
    values: { day: '2026-06-01', dish: 1, portions_planned: 40 },
    counts: 'Cost',
    adds: NaN,
  },
  'tool-shed': { table: 'borrowings', values: { neighbour: 2 }, counts: 'Tools out', adds: 1 },
};

/** What a block's first measure comes to over all its records. */
function wholeOf(blocks: readonly BlockData[], title: string, titles: ReadonlyMap<string, string>): number {
  const block = blocks.find(({ id }) => titles.get(id) === title);
  const asked = block?.asked as AskedData | undefined;
  if (!asked) throw new Error(`${title}: ${JSON.stringify(block?.problem)}`);
  return Number(asked.whole.totals[0]);
}

describe('templates that ship', () => {
  test('are twelve at least, in the gallery, each by the published schema', async () => {
    const { items } = await done<{ items: { name: string; ships: boolean; samples: number }[] }>(
      'GET',
      '/api/templates',
    );
    expect(items.filter(({ ships }) => ships).length).toBeGreaterThanOrEqual(12);
    const schema = await done<object>('GET', '/api/templates/schema');
    const valid = new Ajv({ strict: false, validateFormats: false }).compile(schema);
    for (const template of shippedTemplates()) {
      expect([template.name, valid(template), valid.errors]).toEqual([template.name, true, null]);
      expect(Object.keys(filled)).toContain(template.name);
    }
  });

  test.each(shippedTemplates().map((template) => [template.name, template] as const))(
    '%s: applied with its samples, a form filled in, a summary that is right',
    async (name, template) => {
      const place = await makePlace(pool, ida, `Of ${name}`);
      const { samples, notes } = await applied(place, name, { samples: true });
      expect([samples, notes]).toEqual([samplesOf(template), []]);
      const { table, values, counts, adds } = filled[name] ?? { table: '', values: {}, counts: '', adds: 0 };

      const { items: pages } = await done<{
        items: { id: string; saved: { blocks: { id: string; title: string }[] } }[];
      }>('GET', at(place, '/summaries'));
      const page = pages[0];
      const whole = await done<{ saved: { blocks: { id: string; title: string }[] } }>(
        'GET',
        at(place, `/summaries/${page?.id}`),
      );
      const titles = new Map(whole.saved.blocks.map(({ id, title }) => [id, title]));
      const data = async () =>
        (await done<{ items: BlockData[] }>('GET', at(place, `/summaries/${page?.id}/data`))).items;
      const before = await data();
      expect(before.filter(({ problem }) => problem)).toEqual([]);

      const { items: forms } = await done<{ items: { id: string; label: string }[] }>(
        'GET',
        at(place, `/tables/${table}/forms`),
      );
      const free = { copies: 'copy', tools: 'tool' } as const;
      const more: Asked = {};
      for (const [of, link] of Object.entries(free))
        if (template.tables.some(({ key }) => key === of) && table !== of) {
          const { items } = await done<{ items: { id: number }[] }>(
            'POST',
            at(place, `/tables/${table}/forms/${forms[0]?.id}/candidates/${link}`),
            { q: '', values },
          );
          more[link] = items[0]?.id;
        }
      await done('POST', at(place, `/tables/${table}/forms/${forms[0]?.id}/entries`), {
        values: { ...values, ...more },
      });
      const after = await data();
      const [was, is] = [before, after].map((blocks) => wholeOf(blocks, counts, titles)) as [number, number];
      if (Number.isNaN(adds)) expect(is).toBeGreaterThan(was);
      else expect(is - was).toBeCloseTo(adds, 6);
      // Gone again in one step, but for what was entered.
      const { items: left } = await done<{ items: { count: number }[] }>('GET', at(place, '/samples'));
      expect(left.reduce((sum, { count }) => sum + count, 0)).toBe(samplesOf(template));
    },
    60_000,
  );
});

interface Made {
  readonly template: Template;
  readonly left: readonly string[];
  readonly outside: readonly { readonly label: string; readonly to: string }[];
  readonly contents: readonly { readonly word: string; readonly count: number }[];
}
const made = (place: Place, name: string, tables: readonly string[], more: Asked = {}): Promise<Made> =>
  done('POST', at(place, '/templates/made'), { name, label: 'Made', tables, ...more });

const keysOf = async (place: Place): Promise<string[]> =>
  (await done<{ tables: { key: string }[] }>('GET', at(place, '/model'))).tables.map(({ key }) => key);

test.each(shippedTemplates().map((template) => [template.name, template] as const))(
  'a template made of what %s became is the same again, wherever it is applied',
  async (name) => {
    const [first, second] = [await makePlace(pool, ida, `A ${name}`), await makePlace(pool, ida, `B ${name}`)];
    await applied(first, name);
    const one = await made(first, 'again', await keysOf(first));
    expect(one.left).toEqual([]);
    await applied(second, one.template);
    const two = await made(second, 'again', await keysOf(second));
    expect(JSON.stringify(two.template, null, 1)).toBe(JSON.stringify(one.template, null, 1));
    const { difference } = await done<{ difference: unknown[] }>('POST', '/api/templates/compare', {
      before: one.template,
      now: two.template,
    });
    expect(difference).toEqual([]);
  },
  60_000,
);

describe('made of tables that stand', () => {
  let place: Place;
  beforeAll(async () => {
    place = await makePlace(pool, ida, 'Library');
    await applied(place, 'lending-library', { samples: true });
  });

  test('what is not taken is said, with all that hangs on it; a placeholder keeps the links', async () => {
    const books = await made(place, 'books', ['books', 'copies']);
    expect(books.left).toEqual(
      expect.arrayContaining([
        expect.stringContaining('Copies.Out'),
        expect.stringContaining('Books.Copies to lend'),
        expect.stringContaining('Copies.Loans: it shows the links of Loans'),
      ]) as unknown,
    );
    expect(books.template.tables.map(({ key, fields }) => [key, fields.map((field) => field.key)])).toEqual([
      ['books', ['title', 'author', 'kind', 'year', 'copies']],
      ['copies', ['number', 'book', 'condition']],
    ]);
    const loans = await made(place, 'loans', ['loans', 'copies', 'books'], { placeholders: ['members'] });
    const members = loans.template.tables.find(({ key }) => key === 'members');
    expect(members).toMatchObject({ placeholder: true });
    expect(loans.outside).toEqual([]);
    // It has to be said what takes its place.
    const other = await makePlace(pool, ida, 'Other');
    const without = await ask(pool, ida, 'POST', at(other, '/templates/plan'), { template: loans.template });
    expect([without.status, without.answer.detail]).toEqual([422, '“Members” stands for a table of yours.']);
    await applied(other, loans.template, { tables: { members: {} } });
    expect((await keysOf(other)).toSorted()).toEqual(['books', 'copies', 'loans', 'members']);
  });

  test('with the newest records as samples, which link among themselves', async () => {
    const { template } = await made(place, 'sampled', await keysOf(place), { samples: 40 });
    const count = samplesOf(template);
    expect(count).toBeGreaterThanOrEqual(40);
    for (const row of template.samples.loans ?? []) {
      expect(template.samples.copies?.some(({ _id }) => _id === row.copy)).toBe(true);
      expect(template.samples.members?.some(({ _id }) => _id === row.member)).toBe(true);
    }
    const other = await makePlace(pool, ida, 'Sampled');
    expect((await applied(other, template, { samples: true })).samples).toBe(count);
    const { removed } = await done<{ removed: number }>('DELETE', at(other, '/samples'), {});
    expect(removed).toBe(count);
    expect((await done<{ items: unknown[] }>('GET', at(other, '/samples'))).items).toEqual([]);
    expect(await other.values('loans', 'due_on')).toEqual([]);
  });

  test('joined to a table that stands, found by its name and fields; clashes get other names', async () => {
    const other = await makePlace(pool, ida, 'Village');
    const lendings = shippedTemplates().find(({ name }) => name === 'lending-library')?.samples.loans ?? [];
    await other.change({
      do: 'addTable',
      label: 'People',
      key: 'members',
      fields: [
        { label: 'Name', type: 'text' },
        { label: 'Phone', type: 'phone' },
        { label: 'Loans', type: 'text' },
      ],
    } as never);
    await other.change({ do: 'addTable', label: 'Books', fields: [{ label: 'Shelf mark', type: 'text' }] } as never);
    await other.insert('members', { name: 'Orla Tyson' });
    const beside = await done<{ tables: TableBeside[] }>('POST', at(other, '/templates/beside'), {
      template: 'lending-library',
    });
    expect(beside.tables.find(({ key }) => key === 'members')).toMatchObject({
      clash: true,
      offers: [{ table: 'members', records: 1, fields: { name: 'name', phone: 'phone' } }],
    });
    expect(beside.tables.find(({ key }) => key === 'books')).toMatchObject({ clash: true });
    const { tables, notes, batch } = await applied(other, 'lending-library', {
      samples: true,
      tables: { members: { use: 'members' }, loans: { label: 'Lendings', key: 'lendings' } },
    });
    expect(tables.toSorted()).toEqual(['books_2', 'copies', 'lendings']);
    expect(notes).toEqual(
      expect.arrayContaining(['Books is called Books 2', 'People.Loans is called Loans 2']) as unknown,
    );
    // What stood has no samples, and is calculated over the new links.
    expect(await other.values('members', 'name')).toEqual(['Orla Tyson']);
    const [out] = (await other.values('members', 'out_now')) as [number];
    expect(out).toBe(lendings.filter(({ returned_on: back }) => back === undefined).length);
    await other.insert('lendings', { copy: 1, member: 1, lent_on: '2026-05-01' });
    expect(await other.values('members', 'out_now')).toEqual([out + 1]);
    await other.undo((await done<{ items: { id: number }[] }>('GET', at(other, '/history'))).items[0]?.id ?? 0);
    expect(batch).toBeGreaterThan(0);
  });

  test('a newer version is a plan: what was changed here stays, what was deleted stays deleted', async () => {
    const other = await makePlace(pool, ida, 'Upgraded');
    const first = (await made(place, 'growing', await keysOf(place))).template;
    await applied(other, first, { samples: true });
    await other.change({ do: 'changeField', table: 'books', field: 'author', set: { label: 'Written by' } } as never);
    await other.change({ do: 'removeField', table: 'members', field: 'phone' } as never);
    const newer = JSON.parse(JSON.stringify(first)) as { version: number; tables: Asked[] };
    newer.version = 2;
    const table = (key: string) =>
      newer.tables.find((one) => one.key === key) as { fields: Asked[]; views: Asked[]; description: string };
    const fieldOf = (key: string, name: string) => table(key).fields.find((one) => one.key === name) as Asked;
    table('books').description = 'Each title';
    fieldOf('books', 'author').help = 'First and last name';
    fieldOf('books', 'author').label = 'Author or editor';
    fieldOf('books', 'copies_to_lend').formula = 'count(copies.number)';
    table('books').fields.push({ key: 'language', label: 'Language', type: 'text' });
    fieldOf('members', 'phone').help = 'With its prefix';
    table('loans').views.push({
      label: 'Late',
      filter: 'days_late > 0',
      sort: '',
      groups: '',
      columns: [],
      kind: 'grid',
    });
    const planned = await done<Planned>('POST', at(other, '/templates/plan'), { template: newer, upgrade: true });
    expect(planned.notes).toEqual([
      'Members.Phone: it was deleted here',
      'Books.Author or editor: label was changed here',
    ]);
    await done('POST', at(other, '/templates/apply'), { use: planned.use });
    const model = await done<{ tables: { key: string; description: string; fields: Asked[]; views: Asked[] }[] }>(
      'GET',
      at(other, '/model'),
    );
    const books = model.tables.find(({ key }) => key === 'books');
    expect(books?.description).toBe('Each title');
    expect(books?.fields.find(({ key }) => key === 'author')).toMatchObject({
      label: 'Written by',
      help: 'First and last name',
    });
    expect(books?.fields.map(({ key }) => key)).toContain('language');
    expect((await other.values('books', 'copies_to_lend')).every((count) => Number(count) > 0)).toBe(true);
    expect(model.tables.find(({ key }) => key === 'members')?.fields.map(({ key }) => key)).not.toContain('phone');
    expect(model.tables.find(({ key }) => key === 'loans')?.views.map(({ label }) => label)).toContain('Late');
    const again = await ask(pool, ida, 'POST', at(other, '/templates/plan'), { template: newer, upgrade: true });
    expect(again.status).toBe(409);
  });
});

describe('the gallery', () => {
  test('has what the organisation made, for whom it is meant, each version once', async () => {
    const place = await makePlace(pool, ida, 'Maker');
    await applied(place, 'tool-shed');
    const { template } = await made(place, 'our-shed', await keysOf(place));
    const mine = await done<{ id: string }>('POST', '/api/templates', { template, audience: [] });
    expect((await ask(pool, ida, 'POST', '/api/templates', { template })).status).toBe(409);
    const names = async (by: Person) =>
      (await done<{ items: { name: string }[] }>('GET', '/api/templates', undefined, by)).items.map(({ name }) => name);
    expect(await names(ida)).toContain('our-shed');
    expect(await names(noor)).not.toContain('our-shed');
    expect((await ask(pool, noor, 'GET', `/api/templates/${mine.id}`)).status).toBe(404);
    expect((await ask(pool, noor, 'DELETE', `/api/templates/${mine.id}`)).status).toBe(404);
    await done('PATCH', `/api/templates/${mine.id}`, { audience: null });
    expect(await names(noor)).toContain('our-shed');
    expect((await ask(pool, noor, 'DELETE', `/api/templates/${mine.id}`)).status).toBe(403);
    await done('DELETE', `/api/templates/${mine.id}`);
    expect(await names(ida)).not.toContain('our-shed');
  });

  test('shows a template on its samples before anything is made: seen by whoever looks, on no list, changed by nobody', async () => {
    const { workspace } = await done<{ workspace: string }>('POST', '/api/templates/preview', { template: 'orchard' });
    const other = await done<{ workspace: string }>('POST', '/api/templates/preview', { template: 'orchard' }, noor);
    expect(other.workspace).toBe(workspace);
    const path = `/api/workspaces/${workspace}`;
    const { items } = await done<{ items: unknown[] }>(
      'GET',
      `${path}/tables/trees/records?limit=500`,
      undefined,
      noor,
    );
    expect(items.length).toBe(40);
    for (const by of [ida, noor]) {
      const write = await ask(pool, by, 'POST', `${path}/tables/trees/records`, {
        records: [{ values: { place: 'X' } }],
      });
      expect(write.status).toBe(403);
      const { items: own } = await done<{ items: { key: string }[] }>('GET', '/api/workspaces', undefined, by);
      expect(own.map(({ key }) => key)).not.toContain(workspace);
    }
    // What nobody looks at any more goes.
    await pool.query(`update loom.workspaces set previewed_at = now() - interval '3 hours' where key = $1`, [
      workspace,
    ]);
    await done('POST', '/api/templates/preview', { template: 'choir' });
    const { rows } = await pool.query('select from loom.workspaces where key = $1', [workspace]);
    expect(rows.length).toBe(0);
  });
});

describe('samples made up', () => {
  test('are believable, keep the rules, link with spreads, are the same again, and go in one step', async () => {
    const place = await makePlace(pool, ida, 'Made up');
    await applied(place, 'lending-library');
    await done('POST', at(place, '/tables/members/samples'), { count: 20 });
    await done('POST', at(place, '/tables/books/samples'), { count: 30 });
    await done('POST', at(place, '/tables/copies/samples'), { count: 50 });
    await place.insert('books', { title: 'A real book' });
    await done('POST', at(place, '/tables/loans/samples'), { count: 50 });
    const names = await place.values('members', 'name');
    expect(new Set(names).size).toBe(20);
    for (const name of names) expect(name).toMatch(/^\p{L}[\p{L}'’.-]+ \p{L}/u);
    for (const email of (await place.values('members', 'email')).filter(Boolean))
      expect(email).toMatch(/@example\.org$/);
    const [lent, back] = [await place.values('loans', 'lent_on'), await place.values('loans', 'returned_on')];
    for (const [at, day] of back.entries()) if (day !== null) expect(String(day) >= String(lent[at])).toBe(true);
    const targets = (await place.values('loans', 'copy')).map((one) => (one as { id: number }).id);
    expect(targets.length).toBe(50);
    expect(new Set(targets).size).toBeGreaterThan(10);
    expect(new Set(targets).size).toBeLessThan(50);
    const { items } = await done<{ items: { table: string; count: number }[] }>('GET', at(place, '/samples'));
    expect(items.map(({ table, count }) => [table, count]).toSorted()).toEqual([
      ['books', 30],
      ['copies', 50],
      ['loans', 50],
      ['members', 20],
    ]);
    const twin = await makePlace(pool, ida, 'Made up again');
    await applied(twin, 'lending-library');
    await done('POST', at(twin, '/tables/members/samples'), { count: 20 });
    expect(await twin.values('members', 'name')).toEqual(names);
    expect((await done<{ removed: number }>('DELETE', at(place, '/samples'), {})).removed).toBe(150);
    expect(await place.values('books', 'title')).toEqual(['A real book']);
  });

  test('of records that are linked one to one take each once, and none where all are taken', async () => {
    const place = await makePlace(pool, ida, 'One to one');
    await place.change(
      { do: 'addTable', label: 'Queens', fields: [{ label: 'Mark', type: 'text' }] } as never,
      {
        do: 'addTable',
        label: 'Hives',
        fields: [
          { label: 'Number', type: 'text' },
          { label: 'Queen', type: 'link', to: 'queens', unique: true },
        ],
      } as never,
    );
    await place.insert('queens', ...Array.from({ length: 12 }, (_, n) => ({ mark: `Q${n}` })));
    await place.insert('hives', { number: 'H-1', queen: 1 }, { number: 'H-2', queen: 2 });
    await done('POST', at(place, '/tables/hives/samples'), { count: 40 });
    const queens = (await place.values('hives', 'queen')).flatMap((one) => (one as { id: number } | null)?.id ?? []);
    expect(new Set(queens).size).toBe(queens.length);
    expect(queens.length).toBeGreaterThan(6);
  });

  test('of a table whose link must be filled ask for those first', async () => {
    const place = await makePlace(pool, ida, 'Nothing yet');
    await applied(place, 'lending-library');
    const refused = await ask(pool, ida, 'POST', at(place, '/tables/copies/samples'), { count: 5 });
    expect([refused.status, refused.answer.fix]).toEqual([422, 'Make samples of Books first.']);
  });
});

describe('what nobody meant', () => {
  const whole = JSON.parse(JSON.stringify(shippedTemplates()[0])) as Asked & {
    tables: (Asked & { fields: Asked[] })[];
  };
  const changed = (change: (template: typeof whole) => void): Asked => {
    const copy = JSON.parse(JSON.stringify(whole)) as typeof whole;
    copy.name = 'by-hand';
    change(copy);
    return copy;
  };
  const refusals: readonly [string, Asked, RegExp][] = [
    ['a newer format', changed((one) => (one.template = 2)), /newer version of the program/],
    ['a part that is unknown', changed((one) => ((one.tables[0] as Asked).wizards = [])), /wizards/],
    [
      'a kind of field that is unknown',
      changed((one) => one.tables[0]?.fields.push({ key: 'x', label: 'X', type: 'aura' })),
      /type/,
    ],
    [
      'a formula that comes from itself',
      changed((one) =>
        one.tables[0]?.fields.push(
          { key: 'a', label: 'A', type: 'formula', formula: 'b + 1' },
          { key: 'b', label: 'B', type: 'formula', formula: 'a + 1' },
        ),
      ),
      /field “(a|b)”|itself/,
    ],
    [
      'a formula over what it does not hold',
      changed((one) => one.tables[0]?.fields.push({ key: 'z', label: 'Z', type: 'formula', formula: 'hives.kg' })),
      /hives/,
    ],
    [
      'a link to nothing',
      changed((one) => one.tables[0]?.fields.push({ key: 'l', label: 'L', type: 'link', to: 'nowhere' })),
      /nowhere/,
    ],
    [
      'very many fields',
      changed((one) => {
        one.tables = Array.from({ length: 60 }, (_, t) => ({
          key: `t${t}`,
          label: `T${t}`,
          fields: Array.from({ length: 1_700 }, (__, f) => ({ key: `f${f}`, label: `F${f}`, type: 'text' })),
        }));
        one.summaries = [];
        one.roles = [];
      }),
      /102,000 fields; 4,000 is the most/,
    ],
    ['nothing at all', {}, /template/],
  ];
  test.each(refusals)('%s is refused with its place', async (_, template, words) => {
    const { status, answer } = await ask(pool, ida, 'POST', '/api/templates', { template });
    expect([Math.floor(status / 100), String(answer.detail)]).toEqual([4, expect.stringMatching(words) as unknown]);
  });

  test('who may not change the structure makes and applies none', async () => {
    const place = await makePlace(pool, ida, 'Guarded');
    await applied(place, 'tool-shed');
    const key = (await place.access()).workspace.id;
    await pool.query(`insert into loom.members (workspace, person, role) values ($1, $2, 'reader')`, [key, noor.id]);
    const calls: readonly [string, string, Asked][] = [
      ['POST', '/templates/made', { name: 'x', label: 'X', tables: ['tools'] }],
      ['POST', '/templates/plan', { template: 'choir' }],
      ['POST', '/templates/beside', { template: 'choir' }],
      ['POST', '/tables/tools/samples', { count: 1 }],
      ['DELETE', '/samples', {}],
    ];
    for (const [method, path, body] of calls)
      expect([path, (await ask(pool, noor, method, at(place, path), body)).status]).toEqual([path, 403]);
  });
});

describe('found by reading it again', () => {
  test('tables of a linked workspace are taken by those alone who may change it, and take its data out', async () => {
    const [mine, theirs] = [await makePlace(pool, noor, 'Mine'), await makePlace(pool, ida, 'Theirs')];
    await theirs.change({ do: 'addTable', label: 'Hives', fields: [{ label: 'Number', type: 'text' }] } as never);
    await theirs.insert('hives', { number: 'H-1' });
    const workspace = (await theirs.access()).workspace.id;
    const join = (role: string) =>
      pool.query(
        `insert into loom.members (workspace, person, role) values ($1, $2, $3)
         on conflict (workspace, person) do update set role = excluded.role`,
        [workspace, noor.id, role],
      );
    await join('administrator');
    await mine.change({
      do: 'addTable',
      label: 'Visits',
      fields: [
        { label: 'Day', type: 'date' },
        { label: 'Hive', type: 'link', to: 'theirs.hives' },
      ],
    } as never);
    const body = { name: 'both', label: 'Both', tables: ['visits', 'theirs.hives'], samples: 10 };
    expect((await ask(pool, noor, 'POST', at(mine, '/templates/made'), body)).status).toBe(200);
    await join('reader');
    expect((await ask(pool, noor, 'POST', at(mine, '/templates/made'), body)).status).toBe(403);
    // Nor what they are no member of.
    await pool.query('delete from loom.members where workspace = $1 and person = $2', [workspace, noor.id]);
    expect((await ask(pool, noor, 'POST', at(mine, '/templates/made'), body)).status).toBe(404);
  });

  test('a token for one workspace reads no template of others', async () => {
    const place = await makePlace(pool, ida, 'Secret');
    await applied(place, 'tool-shed', { samples: true });
    const { template } = await made(place, 'with-records', await keysOf(place), { samples: 20 });
    const { id } = await done<{ id: string }>('POST', '/api/templates', { template });
    const limited: Person = { ...ida, limits: { token: 1, role: null, workspace: 999_999, tables: null } as never };
    const { answer } = await ask(pool, limited, 'GET', '/api/templates');
    expect((answer.items as { ships: boolean }[]).every(({ ships }) => ships)).toBe(true);
    expect((await ask(pool, limited, 'GET', `/api/templates/${id}`)).status).toBe(404);
    await done('DELETE', `/api/templates/${id}`);
  });

  test('one undo takes a template back with its samples, and it counts as applied no more', async () => {
    const place = await makePlace(pool, ida, 'Undone');
    const { batch } = await applied(place, 'choir', { samples: true });
    const earlier = async () =>
      (await done<{ earlier: unknown }>('POST', at(place, '/templates/beside'), { template: 'choir' })).earlier;
    expect(await earlier()).toMatchObject({ version: 1 });
    await place.undo(batch);
    expect(await keysOf(place)).toEqual([]);
    expect(await earlier()).toBeNull();
    const again = await ask(pool, ida, 'POST', at(place, '/templates/plan'), { template: 'choir', upgrade: true });
    expect(again.status).toBe(409);
  });

  test('a rule of a newer version comes along; on a table that stands it is said that it does not', async () => {
    const place = await makePlace(pool, ida, 'Ruled');
    const shipped = shippedTemplates().find(({ name }) => name === 'tool-shed');
    await applied(place, 'tool-shed');
    const newer = JSON.parse(JSON.stringify(shipped)) as { version: number; tables: (Asked & { key: string })[] };
    newer.version = 2;
    const rule = { message: 'A tool has a hook.', condition: 'hook is not null' };
    (newer.tables.find(({ key }) => key === 'tools') as Asked).rules = [rule];
    await applied(place, newer, { upgrade: true });
    const model = await done<{ tables: { key: string; rules: Asked[] }[] }>('GET', at(place, '/model'));
    expect(model.tables.find(({ key }) => key === 'tools')?.rules).toMatchObject([rule]);

    const other = await makePlace(pool, ida, 'Standing tools');
    await other.change({
      do: 'addTable',
      label: 'Tools',
      fields: [
        { label: 'Name', type: 'text' },
        { label: 'Hook', type: 'text' },
      ],
    } as never);
    const { notes } = await applied(other, newer, { tables: { tools: { use: 'tools' } } });
    expect(notes).toContain('Tools: the rule “A tool has a hook.” is left out, as the table stands');
  });

  test('a list that lacks words of the template is not taken for the same', async () => {
    const place = await makePlace(pool, ida, 'Words');
    await place.change({
      do: 'addTable',
      label: 'Books',
      fields: [
        { label: 'Title', type: 'text' },
        { label: 'Kind', type: 'option', options: ['novel', 'map'] },
      ],
    } as never);
    await applied(place, 'lending-library', { tables: { books: { use: 'books' } } });
    const model = await done<{ tables: { key: string; fields: { label: string }[] }[] }>('GET', at(place, '/model'));
    const labels = model.tables.find(({ key }) => key === 'books')?.fields.map(({ label }) => label);
    expect(labels).toEqual(expect.arrayContaining(['Kind', 'Kind 2']) as unknown);
  });

  test('samples that do not fit are said, and none of them is left', async () => {
    const place = await makePlace(pool, ida, 'By hand');
    const template = JSON.parse(JSON.stringify(shippedTemplates().find(({ name }) => name === 'choir'))) as Template;
    (template.samples.concerts as unknown as Asked[])[0] = { _id: 1, name: 'Spring', day: 'some day' };
    const planned = await done<Planned>('POST', at(place, '/templates/plan'), { template, samples: true });
    const used = await done<Used & { problem: { message: string } }>('POST', at(place, '/templates/apply'), {
      use: planned.use,
    });
    expect([used.samples, used.problem.message]).toEqual([0, expect.stringContaining('Day')]);
    expect((await done<{ items: unknown[] }>('GET', at(place, '/samples'))).items).toEqual([]);
    expect(await place.values('singers', 'name')).toEqual([]);
  });

  test('samples set nothing off', async () => {
    const place = await makePlace(pool, ida, 'Quiet');
    await applied(place, 'tool-shed');
    const steps = [{ do: 'write', to: [{ formula: "'office@alderfold.example'" }], subject: '{name}', text: '-' }];
    const part = { label: 'Tell', on: true, when: { on: 'made' }, where: '', steps, failing: 'refuse' };
    await place.change({ do: 'addPart', kind: 'routine', table: 'tools', part } as never);
    const { items } = await done<{ items: { id: string; sentence: string }[] }>('GET', at(place, '/routines'));
    const [record] = await place.insert('tools', { name: 'Rake' });
    const routine = items.find(({ sentence }) => sentence.includes('of Tools is made'))?.id;
    await done('POST', at(place, '/tables/tools/routines/try'), { routine, record: record?.id });
    const waiting = async () =>
      (await pool.query('select from loom.outgoing where workspace = $1', [(await place.access()).workspace.id]))
        .rowCount;
    await place.insert('tools', { name: 'Spade' });
    expect(await waiting()).toBe(1);
    await done('POST', at(place, '/tables/tools/samples'), { count: 5 });
    expect(await waiting()).toBe(1);
  });

  test('a preview that cannot be made leaves nothing behind', async () => {
    const before = await pool.query('select key from loom.workspaces order by 1');
    const template = JSON.parse(JSON.stringify(shippedTemplates().find(({ name }) => name === 'choir'))) as Template & {
      tables: { fields: Asked[] }[];
    };
    template.tables[0]?.fields.push({ key: 'z', label: 'Z', type: 'formula', formula: 'nothing + 1' });
    expect((await ask(pool, ida, 'POST', '/api/templates/preview', { template })).status).toBe(422);
    expect((await pool.query('select key from loom.workspaces order by 1')).rows).toEqual(before.rows);
  });
});
