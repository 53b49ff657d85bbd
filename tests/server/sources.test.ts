import { expect, test } from 'vitest';
import type { Receipt } from '$core/intake/intake';
import { linkedTable, ownTables } from '$core/model/model';
import { correctIntake } from '$server/intake/intakes';
import { nearTargets } from '$server/intake/load/nearTargets';
import { makeSources } from '../../demo/sources';
import { makeWorkbooks } from '../../demo/workbooks';
import { intaking } from './intaking';

const { place, newAccess, bring, load } = intaking('sources');

const addsUp = (receipt: Receipt | null) => {
  for (const { read, added, changed = 0, unchanged = 0, setAside, refused, sums } of receipt?.sheets ?? []) {
    expect(added + changed + unchanged + setAside + refused).toBe(read);
    for (const sum of sums) expect(sum.stored).toBe(sum.read);
  }
};

test('all of the team’s files become the cooperative’s fifteen tables with their links', async () => {
  await newAccess();
  const files = await makeWorkbooks();
  const named = (...names: string[]) => names.flatMap((name) => files.filter((file) => file.name === name));
  const inspections = makeSources().filter(({ name }) => name === 'inspections.csv');
  const first = await bring(...named('register.xlsx', 'colony book.ods'), ...inspections);
  expect(first.problem).toBeNull();
  const sheetAt = new Map(first.sheets.map(({ name }, index) => [name, index]));
  const at = (sheet: string, column: string) =>
    `${sheetAt.get(sheet)}.${first.sheets[sheetAt.get(sheet) ?? 0]?.columns.findIndex(({ name }) => name === column)}`;
  // Inspections call hives by their digits alone; codes of keepers were typed in a hurry.
  await correctIntake(place.pool, place.access, first.id, {
    tables: {},
    columns: { [at('inspections', 'hive_no')]: { formula: "'H-' || value" } },
  });
  const [sheet, column] = at('Hives', 'keeper').split('.').map(Number);
  const near = await nearTargets(place.pool, place.access, first.id, {
    sheet: sheet ?? 0,
    column: column ?? 0,
    limit: 100,
  });
  const replace = near.texts.flatMap(({ text, candidates: [best] }) =>
    best?.score === 1 ? [{ from: text, to: best.key }] : [],
  );
  expect(near.texts.filter(({ candidates }) => candidates.length === 0).map(({ text }) => text)).toEqual(['K-099']);
  const settled = await correctIntake(place.pool, place.access, first.id, {
    tables: {},
    columns: { [at('inspections', 'hive_no')]: { formula: "'H-' || value" }, [at('Hives', 'keeper')]: { replace } },
  });
  expect(settled.proposal?.links).toHaveLength(12);
  const loaded = await load(first.id);
  expect(loaded.problem).toBeNull();
  addsUp(loaded.receipt);
  expect(loaded.receipt?.sheets.map(({ tableLabel, read, setAside }) => [tableLabel, read, setAside])).toEqual([
    ['Keepers', 62, 0],
    ['Apiaries', 14, 0],
    ['Plants', 16, 0],
    ['Stands', 84, 0],
    ['Hives', 240, 2],
    ['Queens', 200, 0],
    ['Mite counts', 420, 0],
    ['Treatments', 140, 0],
    ['Inspections', 3600, 20],
  ]);

  const second = await bring(
    ...named('lots.json', 'extractions.csv', 'fillings.csv', 'market.xlsx', 'swarm reports.csv'),
  );
  expect(second.problem).toBeNull();
  const other = new Map(second.sheets.map(({ name }, index) => [name, index]));
  const [out, filled] = [other.get('extractions') ?? 0, other.get('fillings') ?? 0];
  await correctIntake(place.pool, place.access, second.id, {
    tables: {
      [out]: { label: 'Movements', mark: { field: 'Kind', text: 'extraction' } },
      [filled]: { with: out, mark: { field: 'Kind', text: 'filling' } },
    },
    columns: { [`${filled}.1`]: { field: `f${out}.1` }, [`${filled}.2`]: { field: `f${out}.2` } },
  });
  const honey = await load(second.id);
  expect(honey.problem).toBeNull();
  addsUp(honey.receipt);
  const { model } = place.access.workspace;
  const links = ownTables(model).map(({ label, fields }) => [
    label,
    fields.flatMap((field) => {
      const linked = linkedTable(model, field);
      const near =
        field.type.kind === 'counterpart' &&
        model.tables.find(({ id }) => field.type.kind === 'counterpart' && id === field.type.from);
      const isNear =
        near &&
        near.fields.find(({ type }) => type.kind === 'link')?.id ===
          (field.type.kind === 'counterpart' ? field.type.link : '');
      return linked && (field.type.kind === 'link' || (field.type.kind === 'counterpart' && field.type.over && isNear))
        ? [`${field.label} → ${linked.table.label}`]
        : [];
    }),
  ]);
  expect(links).toEqual([
    ['Keepers', ['Mentor → Keepers']],
    ['Apiaries', ['Steward → Keepers', 'Forage → Plants']],
    ['Plants', []],
    ['Stands', ['Apiary → Apiaries']],
    ['Hives', ['Apiary → Apiaries', 'Stand → Stands', 'Keeper → Keepers', 'Queen → Queens']],
    ['Queens', ['Mother → Queens']],
    ['Mite counts', ['Hive → Hives']],
    ['Treatments', ['Hive → Hives']],
    ['Inspections', ['Hive → Hives']],
    ['Lots', []],
    ['Harvests', ['Lot → Lots', 'Hive → Hives']],
    ['Movements', ['Lot → Lots']],
    ['Market days', ['Stall keeper → Keepers']],
    ['Sales lines', ['Market day → Market days', 'Lot → Lots']],
    ['Swarm reports', ['Taken by → Keepers']],
  ]);
  const movements = model.tables.find(({ label }) => label === 'Movements');
  expect(movements?.fields.slice(0, 5).map(({ label }) => label)).toEqual([
    'Lot',
    'Extracted on',
    'Kilograms',
    'Kind',
    'Jars',
  ]);
});
