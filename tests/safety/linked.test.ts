import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { tableAt, authorize, type Person } from '$server/access/workspaceAccess';
import { withWorkspace } from '$server/access/lock';
import { endpoints } from '$server/api/openapi';
import type { Pool } from '$server/database/pool';
import { recalculate } from '$server/records/recalculate';
import { allCalculated } from '$server/calculation/calculatedFields';
import { undoBatch } from '$server/history/undo';
import { partsOf } from '$core/types/part';
import { freshDatabase, join, makePerson } from '../server/database';
import { makePlace, Place, text } from '../server/place';
import { called } from './calling';

/**
 * Two linked workspaces. Ida has both; the others are in the yard alone, or read the cellar. What stands in the cellar
 * is marked, and looked for in every answer to those who may not see it.
 */
let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
const others: Record<string, Person> = {};
let yard: Place;
let cellar: Place;
let linking: number;
const secret = 'qXsecretQ';
const internal = 'qXinternalQ';

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('linked_sight'));
  ida = await makePerson(pool, 'Ida');
  yard = await makePlace(pool, ida, 'Yard');
  cellar = await makePlace(pool, ida, 'Cellar');
  for (const [name, role] of [
    ['Designer', 'administrator'],
    ['Editor', 'editor'],
    ['Reader', 'reader'],
    ['Both', 'editor'],
  ] as const) {
    others[name] = await makePerson(pool, name);
    await join(pool, await yard.access(), others[name], role);
  }
  await join(pool, await cellar.access(), others.Both!, 'reader');
  await yard.change({
    do: 'addTable',
    label: 'Keepers',
    fields: [text('Name', { unique: true }), { label: 'Kg', type: 'number' }],
  });
  await cellar.change(
    { do: 'addTable', label: 'Ledgers', fields: [text('Ledger name'), text('Ledger words')] },
    {
      do: 'addTable',
      label: 'Swarms',
      fields: [
        text('Title'),
        text('Spoken'),
        text('Cipher', { internal: true, unique: true }),
        { label: 'Kg', type: 'number' },
        { label: 'Ledger', type: 'link', to: 'ledgers' },
      ],
    },
  );
  linking = await cellar.change({
    do: 'addField',
    table: 'swarms',
    field: { label: 'Taken by', type: 'link', to: 'yard.keepers', counterpart: { label: 'Swarms taken' } },
  });
  await yard.change(
    {
      do: 'addField',
      table: 'keepers',
      field: { label: 'First swarm', type: 'link', to: 'cellar.swarms', counterpart: { label: 'First of' } },
    },
    {
      do: 'addField',
      table: 'keepers',
      field: { label: 'Swarms kg', type: 'formula', formula: 'sum(swarms_taken.kg)' },
    },
    {
      do: 'addField',
      table: 'keepers',
      field: { label: 'Double', type: 'formula', formula: 'swarms_kg * 2 + coalesce(kg, 0)' },
    },
    {
      do: 'addRule',
      table: 'keepers',
      message: 'Too heavy.',
      condition: 'coalesce(sum(swarms_taken.kg), 0) + coalesce(kg, 0) < 1000',
    },
  );
  await cellar.change({
    do: 'addField',
    table: 'swarms',
    field: { label: 'Keeper kg', type: 'formula', formula: 'taken_by.kg + kg' },
  });
  await yard.insert('keepers', { name: 'Anselm', kg: 1 }, { name: 'Berit', kg: 2 });
  await cellar.insert('ledgers', { ledger_name: 'L', ledger_words: secret });
  await cellar.insert(
    'swarms',
    { title: 'S-1', spoken: secret, cipher: internal, kg: 10, taken_by: 1, ledger: 1 },
    { title: 'S-2', spoken: `${secret} 2`, cipher: `${internal}2`, kg: 20, taken_by: 1 },
  );
  await yard.write('keepers', { update: [{ id: 1, values: { first_swarm: 1 } }] });
});
afterAll(() => drop());

/** Ways of asking for what is behind a link, as texts of the formula language and as orders. */
const paths = [
  'swarms_taken.spoken',
  'first_swarm.spoken',
  'first_swarm.cipher',
  'first_swarm.ledger.ledger_words',
  'first_swarm.ledger',
];
const formulas = [
  "string_agg(swarms_taken.spoken, ' | ')",
  "string_agg(swarms_taken.cipher, ' | ')",
  'first_swarm.spoken',
  'first_swarm.cipher',
  'first_swarm.ledger.ledger_words',
  'first_swarm.ledger.ledger_name',
];

describe.each(['Designer', 'Editor', 'Reader'])('%s of one workspace, and of the other not', (name) => {
  const params = { ws: 'yard', t: 'keepers', f: 'swarms_kg', id: '1', batch: '1' };

  test('learns nothing that stands there by any call', async () => {
    const person = others[name]!;
    const asked: { call: string; status: number }[] = [];
    const marks = new RegExp(`${secret}|${internal}|ledger|spoken|cipher`, 'i');
    for (const endpoint of endpoints.filter(({ method, reads }) => method === 'GET' || reads)) {
      const taken = Object.keys((endpoint.query?.describe().keys ?? {}) as object);
      const possible: Record<string, string>[] = [
        ...formulas.map((formula) => ({
          filter: `${formula} is not null`,
          marks: JSON.stringify([`${formula} like '%q%'`]),
        })),
        ...paths.flatMap((path): Record<string, string>[] => [{ sort: path }, { group: path }]),
        ...['csv', 'xlsx', 'ods', 'json', 'structure', 'sql', 'datapackage'].map((format) => ({ format })),
        { q: 'q' },
      ];
      const queries = possible.filter((query) => Object.keys(query).some((key) => taken.includes(key)));
      const fields = endpoint.path.includes('{f}') ? ['swarms_kg', 'swarms_taken', 'first_swarm', 'double'] : ['none'];
      for (const f of fields)
        for (const query of [{}, ...queries]) {
          const body = endpoint.body
            ? { typed: '', limit: 20, record: null, draft: {}, values: {}, table: 'keepers', formula: formulas[0] }
            : undefined;
          const answer = await called(pool, person, endpoint, { ...params, f }, query, body);
          asked.push({ call: `${endpoint.method} ${endpoint.path} ${JSON.stringify(query)}`, status: answer.status });
          // What was asked with comes back in a refusal; what stands there does not.
          const told =
            answer.status < 400
              ? answer.text
              : answer.text.replaceAll(/first_swarm[.\w]*|swarms_taken[.\w]*|“\w+”/g, '');
          expect(told.match(marks), `${endpoint.path} ${JSON.stringify(query)} ${told.slice(0, 300)}`).toBeNull();
          expect(answer.status, `${endpoint.path} ${JSON.stringify(query)} ${answer.text.slice(0, 200)}`).not.toBe(500);
        }
    }
    // The calls were really made: many of them succeeded.
    expect(asked.filter(({ status }) => status === 200).length).toBeGreaterThan(45);
  });

  test.each(formulas)('checks no formula over it: %s', async (formula) => {
    const check = endpoints.find(({ path, method }) => method === 'POST' && path.endsWith('/formulas/check'))!;
    const answer = await called(
      pool,
      others[name]!,
      check,
      { ws: 'yard' },
      {},
      { table: 'keepers', formula, records: [1, 2] },
    );
    expect(answer.text).not.toMatch(new RegExp(`${secret}|${internal}`));
    expect(answer.text).toMatch(/has no field/);
  });

  test('sees the titles, and what is calculated, without where it comes from', async () => {
    const access = await authorize(pool, others[name]!, 'yard', 'see');
    const list = endpoints.find(({ path, method }) => method === 'GET' && path.endsWith('/tables/{t}/records'))!;
    const { items: records } = JSON.parse(
      (await called(pool, others[name]!, list, { ws: 'yard', t: 'keepers' })).text,
    ) as {
      items: { values: Record<string, unknown> }[];
    };
    expect(records[0]?.values).toMatchObject({
      name: 'Anselm',
      first_swarm: { id: 1, title: 'S-1' },
      swarms_taken: { count: 2 },
      swarms_kg: 30,
      double: 61,
    });
    const trace = endpoints.find(({ path }) => path.endsWith('/trace/{id}'))!;
    expect(
      (await called(pool, others[name]!, trace, { ws: 'yard', t: 'keepers', f: 'swarms_kg', id: '1' })).status,
    ).toBe(422);
    expect((await called(pool, others[name]!, trace, { ws: 'yard', t: 'keepers', f: 'double', id: '1' })).status).toBe(
      200,
    );
    expect(tableAt(access, 'keepers').fields.find(({ key }) => key === 'swarms_kg')).toMatchObject({
      type: { kind: 'number' },
      veiled: true,
    });
    expect(
      access.workspace.model.tables
        .filter(({ home }) => home !== undefined)
        .map(({ key, fields }) => [key, fields.map((field) => field.key)]),
    ).toEqual([['swarms', ['title', 'taken_by', 'first_of']]]);
  });
});

test('a reader of the other workspace sees there what its readers see', async () => {
  const access = await authorize(pool, others.Both!, 'yard', 'see');
  const swarms = access.workspace.model.tables.find(({ key }) => key === 'swarms');
  expect(swarms?.fields.slice(0, 7).map(({ key }) => key)).toEqual([
    'title',
    'spoken',
    'kg',
    'ledger',
    'taken_by',
    'first_of',
    'keeper_kg',
  ]);
  const check = endpoints.find(({ path, method }) => method === 'POST' && path.endsWith('/formulas/check'))!;
  const ask = (formula: string) =>
    called(pool, others.Both!, check, { ws: 'yard' }, {}, { table: 'keepers', formula, records: [1] });
  expect((await ask('first_swarm.spoken')).text).toContain(secret);
  expect((await ask('first_swarm.cipher')).text).not.toContain(internal);
});

describe('who may not see all of it', () => {
  const editor = () => new Place(pool, yard.key, others.Editor!);
  const designer = () => new Place(pool, yard.key, others.Designer!);
  /** Whatever is stored is what a calculation from nothing gives, in both workspaces. */
  async function agrees() {
    for (const place of [yard, cellar])
      await withWorkspace(pool, await place.access(), 'exclusive', async (client, now) => {
        const { touched } = await recalculate({
          client,
          access: now,
          exclusive: true,
          anew: allCalculated(now.workspace.model),
        });
        expect([...touched].map(({ key }) => key)).toEqual([]);
      });
  }

  test('writes, and everything follows, there as well; rules that read it hold', async () => {
    await editor().write('keepers', { update: [{ id: 1, values: { kg: 5 } }] });
    expect(await cellar.values('swarms', 'keeper_kg')).toEqual([15, 25]);
    expect(await yard.values('keepers', 'double')).toEqual([65, 2]);
    expect(await editor().refused(editor().write('keepers', { update: [{ id: 1, values: { kg: 990 } }] }))).toContain(
      'Too heavy.',
    );
    await editor().insert('keepers', { name: 'Cuno', kg: 7, first_swarm: { match: { title: 'S-2' } } });
    expect(await yard.values('keepers', 'first_swarm')).toMatchObject([{ id: 1 }, null, { id: 2 }]);
    await agrees();
  });

  test('finds no record by a field that they may not see', async () => {
    for (const match of [{ spoken: secret }, { cipher: internal }, { ledger: 1 }])
      expect(await editor().refused(editor().insert('keepers', { name: 'Dora', first_swarm: { match } }))).toContain(
        'has no field',
      );
    expect(
      await editor().refused(editor().write('keepers', { update: [{ id: 1, values: { swarms_kg: 3 } }] })),
    ).toMatch(/calculated|cannot be/);
  });

  test('changes the structure without losing what they do not see', async () => {
    const before = (await yard.access()).workspace.model;
    const batch = await designer().change(
      { do: 'changeField', table: 'keepers', field: 'swarms_kg', set: { label: 'Kg of swarms' } },
      { do: 'addField', table: 'keepers', field: { label: 'Triple', type: 'formula', formula: 'swarms_kg * 3' } },
    );
    expect(await yard.values('keepers', 'triple')).toEqual([90, 0, 0]);
    const { model } = (await yard.access()).workspace;
    const typeOf = (within: typeof model) =>
      within.tables.find(({ key }) => key === 'keepers')?.fields.find(({ key }) => key === 'swarms_kg')?.type;
    expect(typeOf(model)).toEqual(typeOf(before));
    expect(JSON.stringify(model)).not.toContain('veiled');
    await designer().undo(batch);
    expect((await yard.access()).workspace.model).toEqual(before);
    await agrees();
  });

  test('may not change a formula, a view or a limit whose hidden part would be lost', async () => {
    const place = designer();
    const set = { type: 'number' as const };
    expect(await place.refused(place.plan({ do: 'changeField', table: 'keepers', field: 'swarms_kg', set }))).toContain(
      'you may not see',
    );
    const view = { label: 'Heavy', filter: 'sum(swarms_taken.kg) > 5' };
    await yard.change({ do: 'addPart', kind: 'view', table: 'keepers', part: view } as never);
    const seen = partsOf((await place.access()).workspace.model.tables[0] ?? {}, 'view')[0];
    expect(seen?.filter).toBeNull();
    const changed = {
      do: 'changePart',
      kind: 'view',
      table: 'keepers',
      part: seen?.id,
      set: { label: 'Light' },
    } as never;
    expect(await place.refused(place.plan(changed))).toContain('you may not see');
    await yard.change(changed);
  });

  test('is told that what they change is used elsewhere, and not by what', async () => {
    await cellar.change({
      do: 'addField',
      table: 'swarms',
      field: { label: secret, key: 'marked', type: 'formula', formula: 'taken_by.kg * 2' },
    });
    const place = designer();
    const plan = await place.plan({ do: 'removeField', table: 'keepers', field: 'kg' });
    expect(plan.possible).toBe(false);
    expect(JSON.stringify(plan)).toMatch(/that you may not see/);
    expect(JSON.stringify(plan)).not.toContain(secret);
    const set = { key: 'weight' };
    expect(JSON.stringify(await place.plan({ do: 'changeField', table: 'keepers', field: 'kg', set }))).not.toContain(
      secret,
    );
    expect(JSON.stringify(await yard.plan({ do: 'removeField', table: 'keepers', field: 'kg' }))).toContain(secret);
    await cellar.change({ do: 'removeField', table: 'swarms', field: 'marked' });
  });

  test('undoes nothing that also changed the other workspace', async () => {
    const designs = await designer().access();
    expect(await designer().refused(undoBatch(pool, designs, linking))).toMatch(/no such batch/);
    const removed = await yard.change({ do: 'removeField', table: 'keepers', field: 'first_swarm' });
    expect(await designer().refused(undoBatch(pool, await designer().access(), removed))).toContain('linked workspace');
    await yard.undo(removed);
    expect(await yard.values('keepers', 'first_swarm')).toMatchObject([{ id: 1 }, null, { id: 2 }]);
  });
});

test('who sees both makes a calculated field that carries it, and is told whom that shows it', async () => {
  const plan = await yard.plan({
    do: 'addField',
    table: 'keepers',
    field: { label: 'Words', type: 'formula', formula: "string_agg(swarms_taken.spoken, '; ')" },
  });
  expect(plan.effects[0]?.carries).toEqual(['cellar: Swarms.Spoken']);
  const plain = await yard.plan({
    do: 'addField',
    table: 'keepers',
    field: { label: 'Titles', type: 'formula', formula: "string_agg(swarms_taken.title, '; ')" },
  });
  expect(plain.effects[0]?.carries).toEqual([]);
});

test('who looks as somebody that is in both sees no more of the other workspace than by themselves', async () => {
  const boss = await makePerson(pool, 'Boss');
  await join(pool, await yard.access(), boss, 'administrator');
  const { workspace } = await yard.access();
  const seen = async (person: Person) =>
    JSON.stringify((await authorize(pool, person, yard.key, 'see')).workspace.model);
  expect(await seen(others.Both!)).toContain('spoken');
  const as: Person = { ...boss, seeAs: { workspace: workspace.id, person: others.Both!.id } };
  expect((await authorize(pool, as, yard.key, 'see')).seenAs).toBe('Both');
  expect(await seen(as)).not.toContain('spoken');
  const ida = (await yard.access()).person;
  expect(await seen({ ...ida, seeAs: { workspace: workspace.id, person: others.Both!.id } })).toContain('spoken');
});
