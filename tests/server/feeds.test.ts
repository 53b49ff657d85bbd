import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import type { Person } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { beginDays } from '$server/records/day';
import { wrongAfter } from '../storm/world';
import { ask as asked, at, exported, transferred } from './calls';
import { freshDatabase, join, makePerson } from './database';
import { makePlace, Place, text } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let [store, shop]: Place[] = [];
let places = 0;

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('feeds'));
  ida = await makePerson(pool, 'Ida');
});
afterAll(() => drop());

const ask = (by: Person, method: string, path: string, body?: unknown) => asked(pool, by, method, path, body);
const fed = (place: Place, transfer: Record<string, unknown>) => transferred(place, { work: 'feed', ...transfer });

/** The records of a table as rows of the values of some fields, links by their titles. */
async function rows(place: Place, table: string, ...keys: string[]): Promise<unknown[][]> {
  const { answer } = await ask(ida, 'GET', at(place, `/tables/${table}/records?limit=500`));
  const shown = (value: unknown): unknown =>
    typeof value === 'object' && value !== null && 'title' in value ? value.title : value;
  return (answer.items as { id: number; values: Record<string, unknown> }[]).map(({ id, values }) =>
    keys.map((key) => (key === 'id' ? id : shown(values[key]))),
  );
}

/** Every feed and every calculated field is what a pass from nothing makes of it. */
async function agrees(...all: Place[]): Promise<void> {
  for (const place of all) expect(await wrongAfter(pool, await place.access())).toEqual([]);
}

const kinds = { label: 'Kind', type: 'option' as const, options: ['Jar', 'Lid'] };

beforeEach(async () => {
  places += 1;
  store = await makePlace(pool, ida, `Store ${places}`);
  shop = await makePlace(pool, ida, `Shop ${places}`);
  await store.change(
    { do: 'addTable', label: 'Suppliers', fields: [text('Name')] },
    {
      do: 'addTable',
      label: 'Purchases',
      fields: [text('Article'), { label: 'Day', type: 'date' }, { label: 'Amount', type: 'number' }, kinds],
    },
    { do: 'addField', table: 'purchases', field: { label: 'Supplier', type: 'link', to: 'suppliers' } },
  );
  await shop.change({
    do: 'addTable',
    label: 'Deliveries',
    fields: [
      text('Article'),
      { label: 'Day', type: 'date' },
      { label: 'Amount', type: 'number' },
      { label: 'Sent', type: 'yesNo' },
      { ...kinds, options: ['Jar', 'Box'] },
    ],
  });
  await store.insert('suppliers', { name: 'Glassworks' });
  await store.insert(
    'purchases',
    { article: 'Jar 500', day: '2026-03-01', amount: 100, kind: 'jar', supplier: 1 },
    { article: 'Lid', day: '2026-03-02', amount: 50, kind: 'lid' },
  );
  await shop.insert(
    'deliveries',
    { article: 'Jar 500', day: '2026-03-05', amount: 30, sent: true, kind: 'jar' },
    { article: 'Jar 500', day: '2026-03-06', amount: 5, sent: false, kind: 'box' },
  );
});

const movements = (more: Record<string, unknown> = {}) => ({
  sources: [
    { table: 'purchases', mark: 'In' },
    { table: `${shop!.key}.deliveries`, mark: 'Out', where: 'sent' },
  ],
  to: { label: 'Movements' },
  ...more,
});

const shown = ['source', 'article', 'day', 'amount', 'kind'] as const;
/** A note of the table's own, a signed amount, and a check that points at movements. */
async function withOwn(): Promise<void> {
  await fed(store!, movements());
  await store!.change(
    { do: 'addField', table: 'movements', field: text('Note') },
    {
      do: 'addField',
      table: 'movements',
      field: { label: 'Signed', type: 'formula', formula: "case when source = 'In' then amount else -amount end" },
    },
  );
}
const change = (place: Place, table: string, id: number, values: Record<string, unknown>) =>
  place.write(table, { update: [{ id, values }] });

const turnOn = async (...keys: string[]) => {
  const { id } = await theFeed();
  await store!.change({
    do: 'changePart',
    kind: 'feed',
    table: 'movements',
    part: id,
    set: { twoWays: keys },
  } as never);
};

describe('a feed', () => {
  test('of two workspaces is filled, its columns lined up, words of two lists as words', async () => {
    await fed(store!, movements());
    expect(await rows(store!, 'movements', ...shown, 'supplier', 'deliveries')).toEqual([
      ['In', 'Jar 500', '2026-03-01', 100, 'Jar', 'Glassworks', null],
      ['In', 'Lid', '2026-03-02', 50, 'Lid', null, null],
      ['Out', 'Jar 500', '2026-03-05', 30, 'Jar', null, 'Jar 500'],
    ]);
    await agrees(store!, shop!);
  });

  test('is proposed with names that are free, and refuses what is there twice', async () => {
    await store!.change(
      { do: 'addField', table: 'purchases', field: text('Source') },
      { do: 'addField', table: 'purchases', field: text('Purchases') },
    );
    await fed(store!, movements());
    const { answer } = await ask(ida, 'GET', at(store!, '/model'));
    const table = (answer.tables as { key: string; fields: { label: string }[] }[]).find(
      ({ key }) => key === 'movements',
    );
    expect(table?.fields.map(({ label }) => label)).toEqual(
      expect.arrayContaining(['Source', 'Source 2', 'Purchases', 'Purchases 2']),
    );
    expect((await rows(store!, 'movements', 'source'))[0]).toEqual(['In']);
    // A further source may have a field called as one of the feed's own.
    await store!.change({ do: 'addField', table: 'movements', field: text('Note') });
    await store!.change({
      do: 'addTable',
      label: 'Losses',
      fields: [text('Note'), { label: 'Amount', type: 'number' }],
    });
    await store!.insert('losses', { note: 'Broken', amount: 2 });
    await fed(store!, { sources: [{ table: 'losses' }], to: 'movements' });
    expect((await rows(store!, 'movements', 'source', 'amount', 'note_2')).at(-1)).toEqual(['Losses', 2, 'Broken']);
    await agrees(store!, shop!);
    // It is marked where the others are, whatever that field is called.
    await fed(store!, { sources: [{ table: 'purchases', mark: 'Bought' }], to: { label: 'Ways' }, markLabel: 'Way' });
    await fed(store!, { sources: [{ table: 'losses', mark: 'Lost' }], to: 'ways' });
    expect((await rows(store!, 'ways', 'way')).map(([way]) => way)).toEqual(['Bought', 'Bought', 'Lost']);
    const twice = [
      { sources: [{ table: 'losses' }, { table: 'losses', mark: 'B' }], to: { label: 'X' } },
      {
        sources: [{ table: 'losses' }],
        to: { label: 'X' },
        fields: ['note', 'amount'].map((one) => ({ label: 'One', from: { losses: one } })),
      },
      { sources: [{ table: 'losses' }], to: { label: 'X' }, fields: [{ label: 'source', from: { losses: 'note' } }] },
    ];
    for (const transfer of twice) {
      const { text: said } = await ask(ida, 'POST', at(store!, '/transfers'), { work: 'feed', ...transfer });
      expect(said).toContain('twice');
    }
  });

  test('goes by the day of the workspace that it is in, whichever day it is where its source is', async () => {
    await fed(store!, {
      ...movements(),
      fields: [{ label: 'Waits', from: { purchases: 'today() - day', [`${shop!.key}.deliveries`]: 'today() - day' } }],
    });
    await pool.query('update loom.workspaces set day = day + 1 where key = $1', [shop!.key]);
    await change(shop!, 'deliveries', 1, { day: '2026-03-04' });
    await change(shop!, 'deliveries', 2, { sent: true });
    await agrees(store!, shop!);
  });

  test('follows every edit of its sources, in either workspace, within the edit', async () => {
    await withOwn();
    await change(shop!, 'deliveries', 1, { amount: 35, kind: 'box' });
    await change(store!, 'suppliers', 1, { name: 'Glass & Sons' });
    await store!.insert('purchases', { article: 'Label', amount: 7 });
    await change(shop!, 'deliveries', 2, { sent: true });
    await store!.write('purchases', { remove: [2] });
    expect(await rows(store!, 'movements', 'article', 'signed', 'kind', 'supplier')).toEqual([
      ['Jar 500', 100, 'Jar', 'Glass & Sons'],
      ['Jar 500', -35, 'Box', null],
      ['Label', 7, null, null],
      ['Jar 500', -5, 'Box', null],
    ]);
    const { answer } = await ask(ida, 'GET', at(store!, '/tables/movements/totals?totals=sum(signed)'));
    expect(JSON.stringify(answer)).toContain('67');
    await agrees(store!, shop!);
  });

  test('a record that leaves keeps what was entered in it, and comes back as the same one', async () => {
    await withOwn();
    await change(store!, 'movements', 3, { note: 'two crates' });
    await change(shop!, 'deliveries', 1, { sent: false });
    expect(await rows(store!, 'movements', 'id')).toEqual([[1], [2]]);
    await change(shop!, 'deliveries', 1, { amount: 31 });
    await change(shop!, 'deliveries', 1, { sent: true });
    expect(await rows(store!, 'movements', 'id', 'amount', 'note')).toEqual([
      [1, 100, null],
      [2, 50, null],
      [3, 31, 'two crates'],
    ]);
    // What became another type meanwhile is blank, and breaks nothing.
    await change(shop!, 'deliveries', 1, { sent: false });
    await store!.change({ do: 'changeField', table: 'movements', field: 'note', set: { type: 'number' } });
    await change(shop!, 'deliveries', 1, { sent: true });
    expect(await rows(store!, 'movements', 'id', 'note')).toEqual([
      [1, null],
      [2, null],
      [3, null],
    ]);
    await agrees(store!, shop!);
  });

  test.each([
    ['clear', [[null], ['Lid']], null],
    ['remove', [['Lid']], null],
    ['prevent', [['Jar 500'], ['Lid']], 'takes out a record of Movements'],
  ] as const)('what points at a record that leaves follows its rule: %s', async (onDelete, after, refusal) => {
    await withOwn();
    await store!.change(
      { do: 'addTable', label: 'Checks', fields: [text('Checker')] },
      { do: 'addField', table: 'checks', field: { label: 'Movement', type: 'link', to: 'movements', onDelete } },
      { do: 'addField', table: 'movements', field: { label: 'Checked', type: 'formula', formula: 'count(checks)' } },
    );
    await store!.insert('checks', { checker: 'Tom', movement: 3 }, { checker: 'Tom', movement: 2 });
    const left = shop!.write('deliveries', { update: [{ id: 1, values: { sent: false } }] });
    if (refusal) expect(await shop!.refused(left)).toContain(refusal);
    else {
      const { batch } = await left;
      expect(await rows(store!, 'checks', 'movement')).toEqual(after);
      await shop!.undo(batch);
    }
    expect(await rows(store!, 'checks', 'movement')).toEqual([['Jar 500'], ['Lid']]);
    expect(await rows(store!, 'movements', 'id', 'checked')).toEqual([
      [1, 0],
      [2, 1],
      [3, 1],
    ]);
    await agrees(store!, shop!);
  });

  test('an undo of what made, deleted or changed a source is an undo of what followed', async () => {
    await withOwn();
    await change(store!, 'movements', 2, { note: 'kept' });
    const steps = [
      await store!.write('purchases', { remove: [2] }),
      await store!.write('purchases', { insert: [{ values: { article: 'Box', amount: 3 } }] }),
      await change(shop!, 'deliveries', 2, { sent: true }),
    ];
    expect(await rows(store!, 'movements', 'article')).toEqual([['Jar 500'], ['Jar 500'], ['Box'], ['Jar 500']]);
    for (const [index, { batch }] of steps.entries()) await (index === 2 ? shop! : store!).undo(batch);
    expect(await rows(store!, 'movements', 'id', 'article', 'note')).toEqual([
      [1, 'Jar 500', null],
      [2, 'Lid', 'kept'],
      [3, 'Jar 500', null],
    ]);
    await agrees(store!, shop!);
  });

  test('is undone as it was made, and made again', async () => {
    const before = [
      await rows(store!, 'purchases', 'id', 'article'),
      (await ask(ida, 'GET', at(store!, '/model'))).text,
    ];
    const { batch } = await fed(store!, movements());
    const undone = await store!.undo(Number(batch));
    expect([
      await rows(store!, 'purchases', 'id', 'article'),
      (await ask(ida, 'GET', at(store!, '/model'))).text.replace(/"version":\d+/, ''),
    ]).toEqual([before[0], String(before[1]).replace(/"version":\d+/, '')]);
    await store!.insert('purchases', { article: 'Late', amount: 1 });
    await store!.undo(undone.batch);
    expect(await rows(store!, 'movements', 'article')).toEqual([['Jar 500'], ['Lid'], ['Jar 500'], ['Late']]);
    await agrees(store!, shop!);
  });

  test('takes a changed filter: who comes and who leaves is counted before, and an undo brings all back', async () => {
    await withOwn();
    await change(store!, 'movements', 1, { note: 'first' });
    const feed = await theFeed();
    const filter = {
      sources: [
        { ...feed.sources[0]!, where: 'amount < 60' },
        { ...feed.sources[1]!, where: '' },
      ],
    };
    const changes = { do: 'changePart', kind: 'feed', table: 'movements', part: feed.id, set: filter } as never;
    const plan = await store!.plan(changes);
    expect(plan.effects[0]?.counts).toEqual([
      { what: 'record of Purchases leaves', count: 1 },
      { what: 'record of Deliveries comes in', count: 1 },
    ]);
    const batch = await store!.change(changes);
    expect(await rows(store!, 'movements', 'id', 'amount')).toEqual([
      [2, 50],
      [3, 30],
      [4, 5],
    ]);
    await store!.undo(batch);
    expect(await rows(store!, 'movements', 'id', 'amount', 'note')).toEqual([
      [1, 100, 'first'],
      [2, 50, null],
      [3, 30, null],
    ]);
    await agrees(store!, shop!);
  });

  test('gets a further source, of which its fields show what they are said to', async () => {
    await withOwn();
    await store!.change({
      do: 'addTable',
      label: 'Losses',
      fields: [text('What'), { label: 'Kilos', type: 'number' }],
    });
    await store!.insert('losses', { what: 'Broken', kilos: 2 });
    await fed(store!, {
      sources: [{ table: 'losses', mark: 'Lost' }],
      to: 'movements',
      fields: [
        { label: 'Article', from: { losses: 'what' } },
        { label: 'Amount', from: { losses: '-kilos' } },
      ],
    });
    expect(await rows(store!, 'movements', ...shown)).toEqual([
      ['In', 'Jar 500', '2026-03-01', 100, 'Jar'],
      ['In', 'Lid', '2026-03-02', 50, 'Lid'],
      ['Out', 'Jar 500', '2026-03-05', 30, 'Jar'],
      ['Lost', 'Broken', null, -2, null],
    ]);
    await agrees(store!, shop!);
  });

  test('feeds a feed, and what comes of it; rings are refused with their path', async () => {
    await withOwn();
    await fed(store!, { sources: [{ table: 'movements', where: 'signed < 0' }], to: { label: 'Outgoing' } });
    await change(shop!, 'deliveries', 2, { sent: true });
    await change(shop!, 'deliveries', 1, { sent: false });
    expect(await rows(store!, 'outgoing', 'article', 'amount')).toEqual([['Jar 500', 5]]);
    await agrees(store!, shop!);
    const ring = await ask(ida, 'POST', at(store!, '/transfers'), {
      work: 'feed',
      sources: [{ table: 'outgoing' }],
      to: 'movements',
    });
    expect(ring.text).toContain('Which records come would depend on itself: Movements ← Outgoing ← Movements');
    // A condition that reads what is summed up over the feed is a ring, too.
    await store!.change({
      do: 'addField',
      table: 'purchases',
      field: { label: 'Moved', type: 'formula', formula: 'sum(movements.amount)' },
    });
    const feed = await theFeed();
    const turned = store!.change({
      do: 'changePart',
      kind: 'feed',
      table: 'movements',
      part: feed.id,
      set: { sources: [{ ...feed.sources[0]!, where: 'coalesce(moved, 0) < 10' }, feed.sources[1]!] },
    } as never);
    expect(await store!.refused(turned)).toContain('depend on itself');
  });

  test('is no place to type records into: each way says where they come from', async () => {
    await withOwn();
    const wrong: [string, () => Promise<unknown>, string][] = [
      ['insert', () => store!.insert('movements', { note: 'x' }), 'come from Purchases and Deliveries'],
      ['delete', () => store!.write('movements', { remove: [1] }), 'come from Purchases and Deliveries'],
      ['a shown field', () => change(store!, 'movements', 1, { amount: 3 }), 'Amount is calculated'],
      ['the link', () => change(store!, 'movements', 1, { purchases: 2 }), 'Purchases'],
    ];
    for (const [what, work, words] of wrong) expect(`${what}: ${await store!.refused(work())}`).toContain(words);
    const required = store!.change({ do: 'changeField', table: 'movements', field: 'note', set: { required: true } });
    expect(await store!.refused(required)).toContain('records of a feed come by themselves');
    await agrees(store!, shop!);
  });
});

describe('beside other works', () => {
  const refusal = async (transfer: Record<string, unknown>) => {
    const { status, answer } = await ask(ida, 'POST', at(store!, '/transfers'), transfer);
    const { problems = [] } = (answer.plan ?? {}) as { problems?: { message: string }[] };
    return status === 200 ? (problems[0]?.message ?? 'nothing was refused') : String(answer.detail);
  };

  test('its records are neither moved, joined nor merged; its sources are, and it follows', async () => {
    await withOwn();
    await store!.change({
      do: 'addTable',
      label: 'Other',
      fields: [text('Article'), { label: 'Amount', type: 'number' }],
    });
    const where = { table: 'movements', where: '' };
    expect(await refusal({ work: 'move', ...where, to: 'other' })).toContain('come and go with those');
    expect(await refusal({ work: 'move', table: 'other', where: '', to: 'movements' })).toContain(
      'come and go with those',
    );
    expect(await refusal({ work: 'join', table: 'movements', groups: [{ winner: 1, losers: [2] }] })).toContain(
      'come and go with those',
    );
    expect(
      await refusal({ work: 'merge', sources: [{ table: 'movements' }, { table: 'other' }], to: 'other' }),
    ).toContain('is fed from other tables');
    expect(await refusal({ work: 'foldIn', table: 'movements', link: 'purchases' })).toContain('shows it already');
    // Moved away they leave; undone they are back with what was noted.
    await change(store!, 'movements', 2, { note: 'second' });
    const moved = await planAndApply({ work: 'move', table: 'purchases', where: "article = 'Lid'", to: 'other' });
    expect(await rows(store!, 'movements', 'id', 'article')).toEqual([
      [1, 'Jar 500'],
      [3, 'Jar 500'],
    ]);
    await agrees(store!, shop!);
    await store!.undo(moved);
    expect(await rows(store!, 'movements', 'id', 'note')).toEqual([
      [1, null],
      [2, 'second'],
      [3, null],
    ]);
    const joined = await planAndApply({ work: 'join', table: 'purchases', groups: [{ winner: 1, losers: [2] }] });
    expect(await rows(store!, 'movements', 'id')).toEqual([[1], [3]]);
    await store!.undo(joined);
    expect(await rows(store!, 'movements', 'id', 'note')).toEqual([
      [1, null],
      [2, 'second'],
      [3, null],
    ]);
    await agrees(store!, shop!);
  });

  const planAndApply = async (transfer: Record<string, unknown>): Promise<number> =>
    (await transferred(store!, transfer)).batch;

  test.each([
    ['a new table', { label: 'All goods' }],
    ['the other', 'other'],
    ['the source', 'purchases'],
  ])(
    'a source that is merged into %s feeds on with its own records, and all is as before once it is undone',
    async (_, to) => {
      await withOwn();
      await store!.change({
        do: 'addTable',
        label: 'Other',
        fields: [text('Article'), { label: 'Amount', type: 'number' }, { label: 'Day', type: 'date' }],
      });
      await store!.insert('other', { article: 'Crate', amount: 9 });
      await change(store!, 'movements', 2, { note: 'second' });
      const { id } = await theFeed();
      const sources = [{ table: 'purchases', link: 'purchases', where: 'amount > 60' }, (await theFeed()).sources[1]];
      await store!.change({ do: 'changePart', kind: 'feed', table: 'movements', part: id, set: { sources } } as never);
      const [before, all] = [
        await rows(store!, 'movements', 'id', ...shown, 'signed', 'supplier'),
        await exported(store!),
      ];
      expect(before).toHaveLength(2);
      const transfer = { work: 'merge', sources: [{ table: 'purchases' }, { table: 'other' }], to };
      const merged = await planAndApply(transfer);
      expect(await rows(store!, 'movements', 'id', ...shown, 'signed', 'supplier')).toEqual(before);
      await agrees(store!, shop!);
      const table = typeof to === 'string' ? to : 'all_goods';
      await store!.insert(
        table,
        { article: 'Later', amount: 70, source: 'purchases' },
        { article: 'None', amount: 80 },
      );
      expect((await rows(store!, 'movements', 'article')).slice(2)).toEqual([['Later']]);
      await agrees(store!, shop!);
      await store!.write(table, {
        remove: (await rows(store!, table, 'id', 'article'))
          .filter(([, one]) => /Later|None/.test(String(one)))
          .map(([n]) => Number(n)),
      });
      await store!.undo(merged);
      expect(await exported(store!)).toBe(all);
      await agrees(store!, shop!);
    },
  );

  test('a source’s columns become rows, or are split off, and the feed shows the same', async () => {
    await withOwn();
    const before = await rows(store!, 'movements', ...shown, 'signed', 'supplier');
    await planAndApply({
      work: 'splitOff',
      table: 'purchases',
      by: ['article'],
      fields: ['kind'],
      label: 'Articles',
      linkLabel: 'Article of',
    });
    expect(await rows(store!, 'movements', ...shown, 'signed', 'supplier')).toEqual(before);
    await change(store!, 'articles', 1, { kind: 'lid' });
    expect((await rows(store!, 'movements', 'kind'))[0]).toEqual(['Lid']);
    await agrees(store!, shop!);
  });

  test('a rename goes through, what a source’s condition reads may go, and then it stands still', async () => {
    await withOwn();
    await shop!.change({
      do: 'changeField',
      table: 'deliveries',
      field: 'sent',
      set: { key: 'is_sent', label: 'Is sent' },
    });
    expect((await theFeed()).sources[1]?.where).toBe('is_sent');
    await store!.change({ do: 'removeField', table: 'movements', field: 'sent' });
    await shop!.change({ do: 'removeField', table: 'deliveries', field: 'is_sent' });
    await shop!.insert('deliveries', { article: 'New', amount: 1 });
    expect(await rows(store!, 'movements', 'article')).toEqual([['Jar 500'], ['Lid'], ['Jar 500']]);
    expect((await theFeed()).sources).toHaveLength(1);
    await agrees(store!, shop!);
  });

  test('comes along with a structure that is exported and brought in elsewhere', async () => {
    await fed(store!, { sources: [{ table: 'purchases', where: 'amount > 60' }], to: { label: 'Large' } });
    const structure = await ask(ida, 'GET', at(store!, '/model'));
    const there = await makePlace(pool, ida, `There ${places}`);
    const planned = await ask(ida, 'POST', at(there, '/structure/import'), structure.answer);
    expect(planned.text).toContain('new feed “Feed”');
    const { id } = planned.answer as { id: number };
    expect((await ask(ida, 'POST', at(there, `/plans/${id}/apply`))).status).toBe(200);
    await there.insert('purchases', { article: 'A', amount: 61 }, { article: 'B', amount: 60 });
    expect(await rows(there, 'large', 'article', 'amount')).toEqual([['A', 61]]);
    await agrees(there);
  });
});

describe('two ways', () => {
  test('what is typed into a feed is written into its source, beside what is the feed’s own', async () => {
    await withOwn();
    await turnOn('amount');
    const { records: answered, batch } = await store!.write('movements', {
      update: [
        { id: 3, values: { amount: 33, note: 'counted' } },
        { id: 1, values: { amount: '101' } },
      ],
    });
    expect(answered.map(({ values }) => [values.amount, values.signed, values.note])).toEqual([
      [33, -33, 'counted'],
      [101, 101, null],
    ]);
    expect(await rows(shop!, 'deliveries', 'amount')).toEqual([[33], [5]]);
    expect(await rows(store!, 'purchases', 'amount')).toEqual([[101], [50]]);
    await store!.undo(batch);
    expect(await rows(shop!, 'deliveries', 'amount')).toEqual([[30], [5]]);
    expect(await rows(store!, 'movements', 'amount', 'note')).toEqual([
      [100, null],
      [50, null],
      [30, null],
    ]);
    await agrees(store!, shop!);
  });

  test('goes by the rules and the rights of the source', async () => {
    await withOwn();
    await shop!.change({ do: 'addRule', table: 'deliveries', message: 'At most 90.', condition: 'amount <= 90' });
    await turnOn('amount');
    expect(await store!.refused(change(store!, 'movements', 3, { amount: 91 }))).toContain('At most 90.');
    expect(await store!.refused(change(store!, 'movements', 3, { amount: 'many' }))).toContain('Amount');
    const tom = await makePerson(pool, `Tom ${places}`);
    await join(pool, await store!.access(), tom, 'editor');
    const asTom = (role?: 'reader' | 'editor') => async (id: number) => {
      await pool.query('delete from loom.members where person = $1 and workspace = $2', [
        tom.id,
        (await shop!.access()).workspace.id,
      ]);
      if (role) await join(pool, await shop!.access(), tom, role);
      const place = new Place(pool, store!.key, tom);
      return place.refused(change(place, 'movements', id, { amount: 12 }));
    };
    expect(await asTom()(1)).toBe('nothing was refused');
    expect(await asTom()(3)).toContain('a table that you may not change');
    expect(await asTom('reader')(3)).toContain('You may not');
    expect(await asTom('editor')(3)).toBe('nothing was refused');
    expect(await rows(shop!, 'deliveries', 'amount')).toEqual([[12], [5]]);
  });

  test('only a plain field of a source is typed into', async () => {
    await withOwn();
    expect(await store!.refused(turnOn('signed'))).toContain('Signed is not a plain field');
    expect(await store!.refused(turnOn('kind'))).toContain('Kind is not a plain field');
    // One that is changed by hand afterwards is typed into no longer, and hinders nothing else.
    await turnOn('amount', 'day');
    const formula = 'coalesce(purchases.amount, 0) + 1';
    await store!.change({ do: 'changeField', table: 'movements', field: 'amount', set: { type: 'formula', formula } });
    expect(await store!.refused(change(store!, 'movements', 1, { amount: 3 }))).toContain('Amount');
    await turnOn('day');
    await change(store!, 'movements', 1, { day: '2026-04-01' });
    expect(await rows(store!, 'purchases', 'day')).toEqual([['2026-04-01'], ['2026-03-02']]);
  });
});

describe('whose data it is', () => {
  test('sees who feeds from a table and ends it, without any right where the feed is', async () => {
    await withOwn();
    await turnOn('amount', 'sent');
    const shopkeeper = await makePerson(pool, `Shopkeeper ${places}`);
    await join(pool, await shop!.access(), shopkeeper, 'administrator');
    const { answer } = await ask(shopkeeper, 'GET', at(shop!, '/tables/deliveries/feeds-from'));
    const [feed] = answer.items as { link: string; label: string; workspace: string; records: number }[];
    expect(feed).toMatchObject({ label: 'Movements', workspace: store!.key, records: 1 });
    const clerk = await makePerson(pool, `Clerk ${places}`);
    await join(pool, await shop!.access(), clerk, 'editor');
    expect((await ask(clerk, 'DELETE', at(shop!, `/tables/deliveries/feeds-from/${feed!.link}`))).status).toBe(403);
    expect((await ask(shopkeeper, 'DELETE', at(shop!, `/tables/deliveries/feeds-from/${feed!.link}`))).status).toBe(
      200,
    );
    expect(await rows(store!, 'movements', ...shown)).toEqual([
      ['In', 'Jar 500', '2026-03-01', 100, 'Jar'],
      ['In', 'Lid', '2026-03-02', 50, 'Lid'],
    ]);
    await shop!.insert('deliveries', { article: 'Jar', sent: true });
    expect(await rows(store!, 'movements', 'id')).toHaveLength(2);
    await agrees(store!, shop!);
  });

  test('a person without right to a source sees the feed and no more', async () => {
    await withOwn();
    const tom = await makePerson(pool, `Reader ${places}`);
    await join(pool, await store!.access(), tom, 'reader');
    const model = (await ask(tom, 'GET', at(store!, '/model'))).text;
    expect(model).not.toContain('"where":"sent"');
    const { answer } = await ask(tom, 'GET', at(store!, '/tables/movements/records'));
    expect((answer.items as { values: { amount: number } }[]).map(({ values }) => values.amount)).toEqual([
      100, 50, 30,
    ]);
    expect((await ask(tom, 'GET', at(store!, '/tables/purchases/feeds-from'))).status).toBe(403);
    expect((await ask(tom, 'GET', at(store!, '/tables/movements/feed/check'))).status).toBe(403);
  });

  test('who does not see all of its sources changes nothing of it', async () => {
    await withOwn();
    const designer = await makePerson(pool, `Designer ${places}`);
    await join(pool, await store!.access(), designer, 'administrator');
    const place = new Place(pool, store!.key, designer);
    const { answer } = await ask(designer, 'GET', at(store!, '/model'));
    const table = (answer.tables as { key: string; feeds: FeedJson[] }[]).find(({ key }) => key === 'movements');
    expect(table?.feeds[0]?.sources).toHaveLength(1);
    const part = table!.feeds[0]!.id;
    const wish = { do: 'changePart', kind: 'feed', table: 'movements', part, set: { label: 'Mine' } } as never;
    for (const changes of [wish, { do: 'endFeed', table: 'movements' } as const])
      expect(await place.refused(place.change(changes))).toContain('tables that you may not see');
    expect(await rows(store!, 'movements', 'id')).toHaveLength(3);
    await place.change({ do: 'addField', table: 'movements', field: text('Remark') });
    expect((await theFeed()).sources).toHaveLength(2);
  });

  test('a condition on the day is looked at when a day begins where the source is', async () => {
    await fed(store!, movements({ sources: [{ table: `${shop!.key}.deliveries`, where: 'day < today()' }] }));
    expect(await rows(store!, 'movements', 'id')).toHaveLength(2);
    await shop!.insert('deliveries', { article: 'Far', day: '2099-01-01' });
    expect(await rows(store!, 'movements', 'id')).toHaveLength(2);
    await beginDays(pool, new Date('2099-01-02T12:00:00Z'));
    expect((await rows(store!, 'movements', 'article')).at(-1)).toEqual(['Far']);
    await agrees(store!, shop!);
  });

  test('what two people gather at once decides together whether a record comes', async () => {
    await store!.change(
      { do: 'addTable', label: 'Parts', fields: [text('Name'), { label: 'Worth', type: 'number' }] },
      { do: 'addField', table: 'parts', field: { label: 'Purchase', type: 'link', to: 'purchases' } },
    );
    const many = Array.from({ length: 20 }, (_, i) => ({ name: `P${i}`, worth: 0, purchase: 1 + (i % 2) }));
    await store!.insert('parts', ...many);
    await fed(store!, {
      sources: [{ table: 'purchases', where: 'sum(parts.worth) >= 10' }],
      to: { label: 'Worthy' },
      fields: [{ label: 'Sum', from: { purchases: 'sum(parts.worth)' } }],
    });
    expect(await rows(store!, 'worthy', 'id')).toEqual([]);
    await Promise.all(many.map((_, i) => change(store!, 'parts', i + 1, { worth: 1 })));
    expect((await rows(store!, 'worthy', 'sum')).map(([sum]) => Number(sum))).toEqual([10, 10]);
    await agrees(store!);
  });

  test('in the bin it waits, and is brought back as its sources are by then; its link is not deleted under it', async () => {
    await withOwn();
    await change(store!, 'movements', 1, { note: 'kept' });
    const link = store!.change({ do: 'removeField', table: 'movements', field: 'purchases' });
    expect(await store!.refused(link)).toMatch(/source|Movements/);
    expect(await store!.refused(store!.change({ do: 'removeTable', table: 'purchases' }))).toMatch(/Movements/);
    const batch = await store!.change({ do: 'removeTable', table: 'movements' });
    await store!.insert('purchases', { article: 'Meanwhile', amount: 1 });
    await store!.write('purchases', { remove: [2] });
    await store!.undo(batch);
    expect(await rows(store!, 'movements', 'article', 'note')).toEqual([
      ['Jar 500', 'kept'],
      ['Jar 500', null],
      ['Meanwhile', null],
    ]);
    await agrees(store!, shop!);
  });

  test('a feed that ends keeps its records, with what they showed as values to be typed over', async () => {
    await withOwn();
    const batch = await store!.change({ do: 'endFeed', table: 'movements' });
    await change(store!, 'movements', 1, { amount: 99 });
    await store!.insert('movements', { article: 'By hand' });
    await shop!.write('deliveries', { remove: [1] });
    expect(await rows(store!, 'movements', 'article', 'amount', 'signed')).toEqual([
      ['Jar 500', 99, 99],
      ['Lid', 50, 50],
      ['Jar 500', 30, -30],
      ['By hand', null, null],
    ]);
    await agrees(store!, shop!);
    // A feed has no records but those of its sources.
    expect(await store!.refused(store!.undo(batch))).toContain(
      '2 records of Movements stand for no record of a source',
    );
    await store!.write('movements', { remove: [3, 4] });
    await store!.undo(batch);
    await shop!.insert('deliveries', { article: 'Late', sent: true });
    expect(await rows(store!, 'movements', 'article', 'amount')).toEqual([
      ['Jar 500', 100],
      ['Lid', 50],
      ['Late', null],
    ]);
    await agrees(store!, shop!);
  });

  test('a check finds what a pass from nothing would change, and nothing else', async () => {
    await withOwn();
    const check = async () => (await ask(ida, 'GET', at(store!, '/tables/movements/feed/check'))).answer;
    const { fields, ...counts } = await check();
    expect(counts).toEqual({ records: 3, lacking: 0, beyond: 0 });
    expect((fields as { differ: number }[]).every(({ differ }) => differ === 0)).toBe(true);
    // Behind the product's back.
    await pool.query(`update ${store!.key}.movements set amount = 1 where _id = 2`);
    await pool.query(`update ${shop!.key}.deliveries set sent = not sent`);
    const after = await check();
    expect(after).toMatchObject({ lacking: 1, beyond: 1 });
    expect((after.fields as { field: string; differ: number }[]).filter(({ differ }) => differ > 0)).toEqual([
      { field: 'amount', label: 'Amount', differ: 1 },
      { field: 'sent', label: 'Sent', differ: 1 },
    ]);
  });
});

interface FeedJson {
  readonly id: string;
  readonly label: string;
  readonly sources: readonly { readonly table: string; readonly link: string; readonly where: string }[];
}
async function theFeed(): Promise<FeedJson> {
  const { answer } = await ask(ida, 'GET', at(store!, '/model'));
  const table = (answer.tables as { key: string; feeds: FeedJson[] }[]).find(({ key }) => key === 'movements');
  return table!.feeds[0]!;
}
