import { describe, expect, test } from 'vitest';
import { correctIntake } from '$server/intake/intakes';
import { messy } from '../truth/messy';
import { judge, said } from '../truth/score';
import { intaking } from './intaking';

const { place, newAccess, bring, load, stored } = intaking('proposals');
const none = () => {
  throw new Error('what is made up has no package');
};

describe('what is proposed for sheets as people keep them is what a person would say', () => {
  test.each(messy)('$name', async (one) => {
    await newAccess();
    const { sheets, proposal } = await bring(...(await one.files({ bytes: none, json: none, module: none })));
    if (!proposal) throw new Error('nothing was proposed');
    const wrong = judge(one, said(sheets, proposal))
      .filter(({ is }) => is !== 'right')
      .map(({ is, part, what, said: words }) => `${part}: ${is} ${what} (${words})`);
    expect(wrong).toEqual([]);
  });
});

describe('what was proposed comes in', () => {
  test('amounts with signs and brackets, and days in four writings', async () => {
    await newAccess();
    const rows = ['2025-03-14;($1,200.50)', '15.3.2025;$3.00', '16/03/25;-$4.25', '20250317;$7', '18 Mar 2025;($0.75)'];
    const { id, sheets } = await bring({ name: 'bookings.csv', bytes: ['day;amount', ...rows].join('\n') });
    expect(sheets[0]?.columns).toMatchObject([{ type: 'date' }, { type: 'money', sum: '-1195.5' }]);
    const { receipt } = await load(id);
    expect(receipt?.sheets[0]).toMatchObject({ added: 5, setAside: 0 });
    expect(await stored('bookings', 'day::text, amount::text')).toEqual([
      { day: '2025-03-14', amount: '-1200.5' },
      { day: '2025-03-15', amount: '3' },
      { day: '2025-03-16', amount: '-4.25' },
      { day: '2025-03-17', amount: '7' },
      { day: '2025-03-18', amount: '-0.75' },
    ]);
  });

  test('links to a key of very many codes are found, whatever the column is called', async () => {
    await newAccess();
    const hives = Array.from({ length: 12_000 }, (_, i) => `H-${i},place ${i % 90}`);
    const visits = Array.from({ length: 15_000 }, (_, i) => `V${i},H-${(i * 7919) % 12_000}`);
    const { proposal } = await bring(
      { name: 'hives.csv', bytes: ['code,place', ...hives].join('\n') },
      { name: 'visits.csv', bytes: ['no,column 1', ...visits].join('\n') },
    );
    expect(proposal?.links.filter(({ from }) => from.sheet === 1)).toMatchObject([
      { from: { column: 1 }, to: { sheet: 0, column: 0 }, matching: 15_000, missing: 0 },
    ]);
  });

  test('links whose zeros were lost find their records', async () => {
    await newAccess();
    const readers = Array.from({ length: 30 }, (_, i) => `${String(i * 7 + 11).padStart(6, '0')};Reader ${i}`);
    const loans = Array.from({ length: 60 }, (_, i) => `L${i};${(i % 30) * 7 + 11}`);
    const { id } = await bring(
      { name: 'readers.csv', bytes: ['reader_no;name', ...readers].join('\n') },
      { name: 'loans.csv', bytes: ['loan;reader', ...loans].join('\n') },
    );
    const { receipt } = await load(id);
    expect(receipt?.sheets[1]).toMatchObject({ added: 60, setAside: 0, links: [{ made: 60, missed: 0 }] });
  });

  test('a key that is chosen by hand, of one column and of two, and taken back', async () => {
    await newAccess();
    const bytes = ['place,stand,owner', 'Low,1,Ada', 'Low,2,Bram', 'High,1,Cilla', 'High,2,Dov'].join('\n');
    const { id } = await bring({ name: 'stands.csv', bytes });
    const settle = async (key?: readonly number[]) => {
      const tables = { 0: key ? { key } : {} };
      const { proposal } = await correctIntake(place.pool, place.access, id, { tables, columns: {} });
      return (proposal?.changes ?? []).flatMap((change) =>
        change.do === 'addTable'
          ? change.table.fields.flatMap(({ unique, label }) => (unique ? [label] : []))
          : change.do === 'addRule' && change.rule.kind === 'unique'
            ? [`${change.rule.fields.length} together`]
            : [],
      );
    };
    const found = await settle();
    expect(await settle([2])).toEqual(['Owner']);
    expect(await settle([0, 1])).toEqual(['2 together']);
    expect(await settle([])).toEqual([]);
    expect(await settle()).toEqual(found);
    await settle([0, 1]);
    expect((await load(id)).receipt?.sheets[0]).toMatchObject({ added: 4 });
    await expect(
      place.pool.query(
        `insert into "${place.access.workspace.key}".stands (place, stand) select place, stand from "${place.access.workspace.key}".stands`,
      ),
    ).rejects.toThrow(/duplicate key/);
  });

  test('a column in which nothing stands becomes no field until somebody wants it', async () => {
    await newAccess();
    const { id, proposal } = await bring({ name: 'p.csv', bytes: 'code,note,kg\nA,,1\nB,,2\n' });
    expect(proposal?.mappings[0]?.columns.map(({ column }) => column)).toEqual([0, 2]);
    const wished = { tables: {}, columns: { '0.1': { as: 'text' as const } } };
    const corrected = await correctIntake(place.pool, place.access, id, wished);
    expect(corrected.proposal?.mappings[0]?.columns.map(({ column }) => column)).toEqual([0, 1, 2]);
  });
});
