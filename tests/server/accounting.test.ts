import { beforeEach, describe, expect, test } from 'vitest';
import type { Decisions, IntakeSheet } from '$core/intake/intake';
import type { Refusal } from '$server/base/refusal';
import { correctIntake, readIntake } from '$server/intake/intakes';
import { startLoad } from '$server/intake/load/loading';
import { intaking } from './intaking';
import { Place, text } from './place';

const { place, newAccess, again, bring, load, until } = intaking('accounting');
let shop: Place;

/** Customers told by their code, and orders of them: 100 and 1,000 records. */
beforeEach(async () => {
  const access = await newAccess();
  shop = new Place(place.pool, access.workspace.key, place.ida);
  await shop.change(
    { do: 'addTable', label: 'Customers', fields: [text('Code', { unique: true }), text('Town')] },
    {
      do: 'addTable',
      label: 'Orders',
      fields: [
        text('No', { unique: true }),
        { label: 'Qty', type: 'number', digits: 0 },
        { label: 'Customer', type: 'link', to: 'customers' },
      ],
    },
  );
  await shop.insert('customers', ...Array.from({ length: 100 }, (_, n) => ({ code: `C${n}`, town: 'Ashbeck' })));
  await shop.insert(
    'orders',
    ...Array.from({ length: 1000 }, (_, n) => ({
      no: `O${n}`,
      qty: n % 7,
      customer: { match: { code: `C${n % 100}` } },
    })),
  );
  await again();
});

const decide = (id: number, decisions: Partial<Decisions>) =>
  correctIntake(place.pool, place.access, id, { tables: {}, columns: {}, ...decisions });
const refusal = (work: Promise<unknown>): Promise<Refusal['problem'] | null> =>
  work.then(
    () => null,
    (error: Refusal) => error.problem,
  );

describe('every filled cell is accounted for', () => {
  const lines = (from: number, to: number) =>
    Array.from({ length: to - from }, (_, n) => `O${from + n},${((from + n) % 100) + 50},C${(from + n) % 100}`);

  test.each([
    ['new quantities of standing orders', 0, 1000],
    ['new orders', 1000, 11_000],
  ])('a quantity that each customer always has the same of is written: %s', async (_, from, to) => {
    const intake = await bring({ name: 'orders.csv', bytes: ['no,qty,customer', ...lines(from, to)].join('\n') });
    // Of orders that are all new nothing tells that they are orders; a person says so.
    if (from > 0) await decide(intake.id, { tables: { 0: { into: 'orders' } } });
    const loaded = await load(intake.id);
    expect(loaded.problem).toBeNull();
    const { rows } = await place.pool.query<{ n: number }>(
      `select count(*)::int as n from ${shop.key}.orders o join ${shop.key}.customers c on c._id = o.customer
       where o.qty = substr(o.no, 2)::int % 100 + 50 and c.code = 'C' || substr(o.no, 2)::int % 100`,
    );
    expect(rows[0]?.n).toBe(to - from);
    expect(loaded.receipt?.sheets[0]?.cells?.map(({ column, filled, written }) => [column, filled, written])).toEqual(
      ['no', 'qty', 'customer'].map((column) => [column, to - from, to - from]),
    );
  });

  test('a column that no field takes stops the load until somebody says what becomes of it', async () => {
    const intake = await bring({ name: 'orders.csv', bytes: ['no,qty,weather', 'O1,5,rain', 'O2,6,sun'].join('\n') });
    const problem = await refusal(startLoad(place.pool, place.access, intake.id));
    expect(problem).toMatchObject({ message: expect.stringContaining('“weather”'), at: '/columns/0.2' });
    await decide(intake.id, { columns: { '0.2': { as: 'skip' } } });
    const loaded = await load(intake.id);
    expect(loaded.receipt?.sheets[0]?.cells?.find(({ column }) => column === 'weather')).toMatchObject({
      field: null,
      filled: 2,
      written: 0,
      leftOut: 2,
    });
  });

  test('cells set aside, refused and taken as blank are told apart', async () => {
    const intake = await bring({
      name: 'orders.csv',
      bytes: ['no,qty,customer', 'O1,many,C1', 'O2,6,nobody', 'O3,7,C3', 'O2,8,C4'].join('\n'),
    });
    await decide(intake.id, { tables: { 0: { into: 'orders', by: ['no'] } } });
    const loaded = await load(intake.id);
    const cells = Object.fromEntries(
      (loaded.receipt?.sheets[0]?.cells ?? []).map(({ column, field: _, ...one }) => [column, one]),
    );
    expect(cells.qty).toMatchObject({ filled: 4, setAside: 1, refused: 1, written: 2 });
    expect(cells.customer).toMatchObject({ filled: 4, setAside: 1, refused: 1, written: 2 });
  });

  /** Random numbers with a fixed start, so that a failure comes again. */
  const random = (seed: number) => () => (seed = (seed * 1103515245 + 12345) % 2147483648) / 2147483648;

  test.each(Array.from({ length: 24 }, (_, n) => n + 1))(
    'of random files for random tables: what came in is in the records, or said (%i)',
    async (seed) => {
      const next = random(seed * 104729);
      const pick = <T>(all: readonly T[]): T => all[Math.floor(next() * all.length)] as T;
      const some = (n: number) => Math.floor(next() * n);
      // Columns of all sorts: keys, links, what follows from another column, what is not known, misfits and blanks.
      const columns: Record<string, (n: number) => string> = {
        no: (n) => `O${n}`,
        qty: (n) => String(n % 9),
        customer: (n) => `C${n % 100}`,
        town: (n) => ['Ashbeck', 'Fell Gate', 'Mill Ford'][(n % 100) % 3] ?? '',
        weather: (n) => pick(['rain', 'sun', '']) + (n % 50 === 0 ? '!' : ''),
        price: (n) => (n % 40 === 0 ? 'n/a' : `${(n % 100) * 2}.50`),
      };
      const names = ['no', ...Object.keys(columns).filter((name) => name !== 'no' && next() < 0.6)].sort(
        () => next() - 0.5,
      );
      const [from, count] = [pick([0, 500, 1000]), 50 + some(300)];
      const rows = Array.from({ length: count }, (_, n) => names.map((name) => columns[name]?.(from + n) ?? ''));
      const intake = await bring({
        name: pick(['orders.csv', 'file.csv', 'customers.csv']),
        bytes: [names, ...rows].map((row) => row.join(',')).join('\n'),
      });
      let problem: Awaited<ReturnType<typeof refusal>>;
      for (
        let tries = 0;
        (problem = await refusal(startLoad(place.pool, place.access, intake.id))) && tries < 8;
        tries++
      ) {
        const before: Partial<Decisions> =
          (await readIntake(place.pool, place.access, intake.id)).proposal?.decisions ?? {};
        await decide(intake.id, {
          ...before,
          columns: { ...before.columns, [String(problem.at).replace('/columns/', '')]: { as: 'skip' } },
        });
      }
      expect(problem).toBeNull();
      const loaded = await until(intake.id, (state) => state !== 'loading');
      expect(loaded.problem).toBeNull();
      // What the records say of each row is read back by itself, and held against the file.
      const mapping = loaded.proposal?.mappings.find(({ sheet }) => sheet === 0);
      const access = await again();
      const table = access.workspace.model.tables.find(({ id }) => id === mapping?.table);
      const left = new Set(
        Object.entries(loaded.proposal?.decisions.columns ?? {}).flatMap(([at, { as }]) =>
          as === 'skip' ? [names[Number(at.split('.')[1])]] : [],
        ),
      );
      const sheet = loaded.sheets[0] as IntakeSheet;
      for (const [at, name] of names.entries()) {
        const filled = rows.filter((row) => row[at] !== '').length;
        const account =
          loaded.receipt?.sheets.flatMap(({ cells = [] }) => cells).filter(({ column }) => column === name) ?? [];
        expect(account.length, `${name} is accounted for`).toBeGreaterThan(0);
        expect(account[0]?.filled, `${name}: filled cells`).toBe(filled);
        const to = mapping?.columns.find(({ column }) => column === at)?.field;
        const field = table?.fields.find(({ id }) => id === to);
        if (!field || !table) {
          expect(left.has(name) || sheet.derived === undefined, name).toBe(true);
          continue;
        }
        if (!['text', 'number'].includes(field.type.kind) || !table.fields.some(({ key }) => key === 'no')) continue;
        const { rows: stored } = await place.pool.query<{ no: string; value: string | null }>(
          `select no, trim_scale(${field.key}::numeric)::text as value from ${shop.key}.${table.key} where no is not null and ${field.key}::text ~ '^[0-9.]+$'`,
        );
        const byNo = new Map(stored.map(({ no, value }) => [no, value]));
        const unfit = rows.filter(
          (row) =>
            /^[0-9.]+$/.test(row[at] ?? '') && Number(byNo.get(row[names.indexOf('no')] ?? '')) !== Number(row[at]),
        );
        expect(unfit.length, `${name} is what the file says`).toBe(0);
      }
    },
  );
});

describe('corrections name tables and fields by key or identity, and nothing else', () => {
  test('by key: rows go into the table and meet their records', async () => {
    const intake = await bring({ name: 'list.csv', bytes: ['ref,amount', 'O1,70', 'O2,80', 'X1,90'].join('\n') });
    await decide(intake.id, {
      tables: { 0: { into: 'orders', by: ['no'] } },
      columns: { '0.0': { field: 'no' }, '0.1': { field: 'qty' } },
    });
    const loaded = await load(intake.id);
    expect(loaded.receipt?.sheets[0]).toMatchObject({ tableLabel: 'Orders', added: 1, changed: 2 });
  });

  test.each<[string, Partial<Decisions>, RegExp, string]>([
    ['an unknown table', { tables: { 0: { into: 'ordrs' } } }, /Did you mean “orders”/, '/tables/0/into'],
    [
      'an unknown field to find records by',
      { tables: { 0: { into: 'orders', by: ['nu'] } } },
      /“no”/,
      '/tables/0/by/0',
    ],
    [
      'a field of another table',
      { tables: { 0: { into: 'orders' } }, columns: { '0.0': { field: 'code' } } },
      /no field of Orders|Did you mean/,
      '/columns/0.0/field',
    ],
    ['a sheet that did not come', { tables: { 7: { skip: true } } }, /no sheet/i, '/tables/7'],
    ['a column that is not there', { columns: { '0.9': { as: 'skip' } } }, /no column/i, '/columns/0.9'],
    [
      'a table to point at',
      { columns: { '0.0': { as: 'link', to: 'clients' } } },
      /table “clients”/,
      '/columns/0.0/to',
    ],
    [
      'a field to match with',
      { columns: { '0.0': { as: 'link', to: 'customers', match: 'cod' } } },
      /“code”/,
      '/columns/0.0/match',
    ],
    [
      'two columns for one field',
      { tables: { 0: { into: 'orders' } }, columns: { '0.0': { field: 'no' }, '0.1': { field: 'no' } } },
      /both go to the same field/,
      '/columns/0.1/field',
    ],
    [
      'records found in a new table',
      { tables: { 0: { into: 'new', by: ['no'] } } },
      /only in a table that stands/,
      '/tables/0/by',
    ],
  ])('%s is refused, with its place', async (_, decisions, words, at) => {
    const intake = await bring({ name: 'list.csv', bytes: ['ref,amount', 'O1,70', 'O2,80'].join('\n') });
    const problem = await refusal(decide(intake.id, decisions));
    expect(`${problem?.message} ${problem?.fix ?? ''}`).toMatch(words);
    expect(problem?.at).toBe(at);
  });
});
