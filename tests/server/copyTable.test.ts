import { afterAll, beforeAll, expect, test } from 'vitest';
import { leftOutOfCopy } from '$core/changes/copyTable';
import { tableAt, type Person } from '$server/access/workspaceAccess';
import { modelJson } from '$server/api/modelJson';
import type { Pool } from '$server/database/pool';
import { changeWorkspace, ledgerOf } from '$server/workspaces/workspaces';
import { freshDatabase, makePerson } from './database';
import { makePlace, text, type Place } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let ida: Person;
let shop: Place;

const formula = (label: string, written: string, more: object = {}) => ({
  label,
  type: 'formula' as const,
  formula: written,
  ...more,
});

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('copy_table'));
  ida = await makePerson(pool, 'Ida');
  shop = await makePlace(pool, ida, 'Boat shop');
  await shop.change(
    {
      do: 'addTable',
      label: 'Piers',
      fields: [text('Name', { unique: true }), { label: 'Length', type: 'number', digits: 0, unit: 'm' }],
    },
    {
      do: 'addTable',
      label: 'Boats',
      icon: 'ship',
      dye: 'indigo',
      fields: [
        formula('Tag', "name || '!'"),
        text('Name', { required: true }),
        {
          label: 'State',
          type: 'option',
          options: ['sound', { label: 'leaky', dye: 'rust' }],
          default: { value: 'sound' },
        },
        { label: 'Length', type: 'number', digits: 1, unit: 'm' },
        { label: 'Berth', type: 'number', digits: 1, unit: 'm', default: { formula: 'length + 1' } },
      ],
    },
    {
      do: 'addField',
      table: 'boats',
      at: 1,
      field: { label: 'Pier', type: 'link', to: 'piers', onDelete: 'clear', counterpart: { label: 'Boats' } },
    },
    {
      do: 'addField',
      table: 'boats',
      field: {
        label: 'Tender to',
        type: 'link',
        to: 'boats',
        counterpart: { label: 'Tenders' },
        candidates: 'tender_to.length > length',
      },
    },
    { do: 'addField', table: 'boats', field: formula('Space', 'pier.length - length') },
    { do: 'addField', table: 'boats', field: formula('Helpers', 'count(tenders)') },
    {
      do: 'addTable',
      label: 'Hires',
      fields: [
        text('Who'),
        { label: 'Hours', type: 'number', digits: 0 },
        { label: 'Boat', type: 'link', to: 'boats', counterpart: { label: 'Hires' } },
      ],
    },
    { do: 'addField', table: 'boats', field: formula('Hours', 'sum(hires.hours)') },
    { do: 'addField', table: 'boats', field: formula('Busy', 'hours > 100') },
    { do: 'addRule', table: 'boats', message: 'Too long', condition: 'length <= 30', fromNow: true },
    { do: 'addRule', table: 'boats', message: 'One name a pier', unique: ['name', 'pier'] },
    { do: 'addRule', table: 'boats', message: 'Never too busy', condition: 'hours < 1000' },
  );
  await shop.insert('piers', { name: 'North', length: 20 });
  await shop.insert('boats', { name: 'Teal', length: 6, pier: 1 }, { name: 'Duckling', length: 2, pier: 1 });
});
afterAll(() => drop());

const written = async (key: string) => {
  const { tables } = modelJson((await shop.access()).workspace.model) as unknown as {
    tables: Record<string, unknown>[];
  };
  return tables.find((one) => one.key === key) as {
    fields: Record<string, unknown>[];
    rules: Record<string, unknown>[];
    title: string;
    dye: string;
    icon?: string;
  };
};
/** What of a field must be the same in a copy. */
const essence = ({ id: _, options, counterpart, ...field }: Record<string, unknown>) => ({
  ...field,
  ...(options
    ? { options: (options as { label: string; dye: string }[]).map(({ label, dye }) => `${label} ${dye}`) }
    : {}),
  ...(field.to === 'boats' || field.to === 'spare_boats'
    ? { to: 'itself', counterpart: (counterpart as { key?: string } | undefined)?.key }
    : {}),
});

test('a copy has the fields in their order, their options, formulas, limits, defaults and rules; not what comes from links to the table', async () => {
  const access = await shop.access();
  expect(leftOutOfCopy(access.workspace.model, tableAt(access, 'boats')).map(({ label }) => label)).toEqual([
    'Hires',
    'Hours',
    'Busy',
  ]);
  const batch = await shop.change({ do: 'copyTable', table: 'boats', label: 'Spare boats' });
  const [old, copy] = [await written('boats'), await written('spare_boats')];
  expect(copy.fields.map(essence)).toEqual(
    old.fields.filter(({ key }) => !['hires', 'hours', 'busy'].includes(String(key))).map(essence),
  );
  expect(copy.rules.map(({ message, fromNow }) => [message, fromNow])).toEqual([
    ['Too long', true],
    ['One name a pier', undefined],
  ]);
  expect([copy.title, copy.icon]).toEqual([old.title, 'ship']);
  // It takes records, holds its own rules, and its links within it lead to itself.
  await shop.insert('spare_boats', { name: 'Teal', length: 6, pier: 1 }, { name: 'Duckling', length: 2, pier: 1 });
  await shop.write('spare_boats', { update: [{ id: 2, values: { tender_to: 1 } }] });
  expect(await shop.values('spare_boats', 'helpers')).toEqual([1, 0]);
  expect(await shop.values('spare_boats', 'space')).toEqual([14, 18]);
  expect(await shop.values('boats', 'helpers')).toEqual([0, 0]);
  expect(await shop.refused(shop.insert('spare_boats', { name: 'Teal', pier: 1 }))).toContain('One name a pier');
  // A copy of the copy, and all of it undone.
  const second = await shop.change({
    do: 'copyTable',
    table: 'spare_boats',
    label: 'Spare boats copy',
    icon: null,
    dye: 'rust',
  });
  expect(await written('spare_boats_copy')).toMatchObject({ dye: 'rust' });
  expect((await written('spare_boats_copy')).icon).toBeUndefined();
  for (const one of [second, batch]) await shop.undo(one);
  expect(await written('spare_boats')).toBeUndefined();
  expect((await written('piers')).fields.map(({ label }) => label)).not.toContain('Spare boats');
});

test('an icon is given, changed, taken away, and undone', async () => {
  const given = await shop.change({ do: 'changeTable', table: 'piers', set: { icon: 'landmark', dye: 'plum' } });
  const taken = await shop.change({ do: 'changeTable', table: 'piers', set: { icon: null } });
  expect((await written('piers')).icon).toBeUndefined();
  await shop.undo(taken);
  expect((await written('piers')).icon).toBe('landmark');
  await shop.undo(given);
  expect((await written('piers')).icon).toBeUndefined();
});

test('a workspace has a colour and an icon, which its administrators choose', async () => {
  await changeWorkspace(pool, ida, shop.key, { icon: 'ship', dye: 'moss' });
  expect((await ledgerOf(pool, ida))[0]).toMatchObject({ icon: 'ship', dye: 'moss' });
  const tom = await makePerson(pool, 'Tom');
  expect(await shop.refused(changeWorkspace(pool, tom, shop.key, { icon: null }))).toContain(
    'no workspace here that you administer',
  );
});

test.each([
  [{ label: 'Piers' }, 'Piers'],
  [{ label: 'Other boats', key: 'piers' }, 'piers'],
])('a copy under a name that is taken is refused, and says which: %j', async (names, taken) => {
  const refused = await shop.refused(shop.change({ do: 'copyTable', table: 'boats', ...names }));
  expect(refused).toContain(taken);
  expect(refused).not.toContain('There is no table');
  expect((await written('piers')).fields.map(({ label }) => label)).not.toContain('Tender to');
});
