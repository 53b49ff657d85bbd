import { writeFileSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import type { ChangeJson } from '$server/api/changeJson';
import { changesFromJson } from '$server/api/changes';
import { fieldJson, type FieldJson } from '$server/api/fieldJson';
import { modelJson } from '$server/api/modelJson';
import { isEntered, isToMany, type Field, type Table } from '$core/model/model';
import { printValue, sampleValue, type EnteredType } from '$core/values/value';
import { correctIntake } from '$server/intake/intakes';
import { cellPages, streamOf, type Selected } from '$server/tables/export/cells';
import { csvPieces } from '$server/tables/export/csv';
import { copiedStatement } from '$server/tables/export/csvCopied';
import { workspacePackage } from '$server/tables/export/dataPackage';
import { jsonExport } from '$server/tables/export/json';
import { odsExport } from '$server/tables/export/ods';
import { xlsxStream } from '$server/tables/export/xlsx';
import { applyPlan, makePlan } from '$server/tables/plan';
import { readByIds } from '$server/tables/read';
import { writeRecords } from '$server/tables/write';
import { intaking } from './intaking';
import { randomFrom } from '../../demo/random';

const { place, newSeat, again, bring, load, stored } = intaking('round_trip');

const apiaryFields: FieldJson[] = [{ label: 'Name', type: 'text', unique: true, required: true }];
const hiveFields: FieldJson[] = [
  { label: 'Number', type: 'text', unique: true, help: 'With its leading zeros' },
  { label: 'Weight', type: 'number', digits: 2, unit: 'kg' },
  { label: 'Whole', type: 'number', digits: 0 },
  { label: 'Exact', type: 'number', digits: null },
  { label: 'Price', type: 'money', currency: 'EUR', digits: 2 },
  { label: 'Cost', type: 'money', currency: null, digits: 2 },
  { label: 'Share', type: 'percent', digits: 2 },
  { label: 'In use', type: 'yesNo' },
  { label: 'Since', type: 'date' },
  { label: 'Seen at', type: 'dateTime' },
  { label: 'Took', type: 'duration' },
  { label: 'Type', type: 'option', options: ['long hive', 'ten-frame', 'top, bar'] },
  { label: 'Seen', type: 'options', options: ['queen', 'eggs', 'cups'] },
  { label: 'Mail', type: 'email' },
  { label: 'Call', type: 'phone' },
  { label: 'Page', type: 'url' },
  { label: 'Where', key: 'spot', type: 'place' },
  { label: 'Temper', type: 'rating', most: 5 },
  { label: 'Stores', type: 'progress' },
  { label: 'Notes', type: 'longText', markdown: true },
];
const structure: ChangeJson[] = [
  { do: 'addTable', label: 'Apiaries', dye: 'moss', description: 'Where hives stand', fields: apiaryFields },
  { do: 'addTable', label: 'Hives', dye: 'rust', title: 'number', fields: hiveFields },
  { do: 'addField', table: 'hives', field: { label: 'Apiary', type: 'link', to: 'apiaries', onDelete: 'clear', counterpart: { label: 'Its hives' } } },
  { do: 'addField', table: 'hives', field: { label: 'Split from', type: 'link', to: 'hives', onDelete: 'clear', counterpart: { label: 'Splits' } } },
  {
    do: 'addField',
    table: 'hives',
    field: { label: 'Near to', type: 'link', to: 'apiaries', many: true, onDelete: 'clear', counterpart: { label: 'Near hives' } },
  },
];
const formulas: ChangeJson[] = [
  { do: 'addField', table: 'hives', field: { label: 'Double', type: 'formula', formula: 'weight * 2' } },
  { do: 'addField', table: 'apiaries', field: { label: 'Hive count', type: 'formula', formula: 'count(its_hives)' } },
];
const apiaries = ['Low Meadow', 'Fell Gate', '=1+2', 'a, "b"', 'Ünder the – hill', "'=quoted", '0042'];

async function build(changes: readonly ChangeJson[]) {
  const plan = await makePlan(place.pool, place.seat, changesFromJson(place.seat.workspace.model, changes));
  expect(plan.possible).toBe(true);
  await applyPlan(place.pool, place.seat, plan.id);
  await again();
}

/** Hives with values of every type as their kinds make them up, and the nasty ones among texts. */
async function fill(start: number, count: number) {
  const random = randomFrom(start);
  const nasty = [
    '=HYPERLINK("x")',
    '+49 30',
    '-5 or so',
    '@home',
    "'=1",
    "it's",
    'two\nlines',
    'tab\there',
    'n/a',
    '–',
    '007',
    '1e5',
    '3/4',
    'TRUE',
    '2026-05-16',
    'a;b',
    '"',
  ];
  const ids = (await writeRecords(place.pool, place.seat, 'apiaries', { insert: apiaries.map((name) => ({ values: { name } })) })).records.map(({ id }) => id);
  const hives = place.seat.workspace.model.tables.find(({ key }) => key === 'hives') as Table;
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  const insert = Array.from({ length: count }, (_, i) => {
    const values: Record<string, unknown> = { number: String(i + 1).padStart(4, '0') };
    for (const field of hives.fields) {
      if (!isEntered(field) || field.key === 'number' || field.type.kind === 'link' || isToMany(field) || random() < 0.25) continue;
      values[field.key] = field.key === 'notes' ? pick(nasty) : printValue(sampleValue(random, field.type as EnteredType), field.type as EnteredType);
    }
    values.apiary = random() < 0.2 ? null : pick(ids);
    values.near_to = ids.filter(() => random() < 0.3);
    return { values };
  });
  const made = await writeRecords(place.pool, place.seat, 'hives', { insert });
  await writeRecords(place.pool, place.seat, 'hives', {
    update: made.records.slice(1).flatMap(({ id }, i) => (random() < 0.3 ? [{ id, values: { split_from: made.records[i]?.id ?? null } }] : [])),
  });
}

const hivesTable = () => place.seat.workspace.model.tables.find(({ key }) => key === 'hives') as Table;
const entered = (table: Table): Field[] => table.fields.filter((field) => isEntered(field));

/** All values of all records, links by their targets' titles, in the order of the number. */
async function contents(table: Table) {
  const rows: unknown[] = [];
  for await (const page of cellPages(place.pool, place.seat, { table, fields: entered(table), filter: null, sort: [] }))
    rows.push(...page.map(({ cells }) => cells.map(({ text }) => (text.includes('; ') ? text.split('; ').sort().join('; ') : text))));
  return rows.map((row) => JSON.stringify(row)).sort();
}

const folder = mkdtempSync(join(tmpdir(), 'loom-trip-'));
async function bytesOf(stream: ReadableStream<Uint8Array>, name: string): Promise<Buffer> {
  const bytes = Buffer.from(await new Response(stream).arrayBuffer());
  writeFileSync(join(folder, name), bytes);
  return bytes;
}

const formats = {
  csv: (selected: Selected) => streamOf(csvPieces(place.pool, place.seat, selected)),
  xlsx: (selected: Selected) => xlsxStream(place.pool, place.seat, selected),
  ods: (selected: Selected) => streamOf(odsExport(place.pool, place.seat, selected)),
  json: (selected: Selected) => streamOf(jsonExport(place.pool, place.seat, selected)),
};

describe('CSV that PostgreSQL writes itself', () => {
  test('is to the byte what the core writes, for every field and generated values', async () => {
    await newSeat();
    await build(structure);
    await fill(23, 80);
    const table = hivesTable();
    const text = async (fields: readonly Field[], numbered?: string) =>
      Buffer.from(await new Response(streamOf(csvPieces(place.pool, place.seat, { table, fields, filter: null, sort: [] }, numbered))).arrayBuffer()).toString(
        'utf8',
      );
    let copied = 0;
    for (const field of table.fields) {
      const selected = { table, fields: [field], filter: null, sort: [] };
      if (copiedStatement(place.seat, selected) === null) continue;
      copied++;
      // With the records' numbers in front each line comes from the core.
      const core = (await text([field], '_record'))
        .split('\r\n')
        .slice(1)
        .map((line) => line.replace(/^\d+,/, ''));
      const own = (await text([field])).split('\r\n').slice(1);
      expect(own, field.key).toEqual(core);
    }
    expect(copied).toBeGreaterThan(12);
  });
});

describe('what is exported is read again as the same', () => {
  test.each(Object.keys(formats).flatMap((format) => [11, 12].map((start) => [format as keyof typeof formats, start] as const)))(
    '%s into a table of the same structure, start %i',
    async (format, start) => {
      await newSeat();
      await build(structure);
      await fill(start, 60);
      const table = hivesTable();
      const bytes = await bytesOf(formats[format]({ table, fields: entered(table), filter: null, sort: [] }), `hives.${format}`);
      const before = await contents(table);
      // Into a workspace with the same structure, in which the apiaries stand already.
      await newSeat();
      await build(structure);
      await writeRecords(place.pool, place.seat, 'apiaries', { insert: apiaries.map((name) => ({ values: { name } })) });
      const intake = await bring({ name: `hives.${format}`, bytes });
      expect(intake.problem).toBeNull();
      const names = intake.sheets[0]?.columns.map(({ name }) => name) ?? [];
      const to = hivesTable();
      const columns = Object.fromEntries(
        names.map((name, column) => [
          `0.${column}`,
          {
            field: to.fields.find(({ label, key }) => label === name || key === name)?.id ?? '',
            reading: { decimal: '.' as const, dateOrder: 'ymd' as const },
            keepBlanks: true,
            keepSpellings: true,
          },
        ]),
      );
      await correctIntake(place.pool, place.seat, intake.id, { tables: { 0: { into: to.id, by: [], mode: 'add' } }, columns });
      const loaded = await load(intake.id);
      expect(loaded.problem).toBeNull();
      expect(loaded.receipt?.sheets[0]?.reasons).toEqual([]);
      expect(loaded.receipt?.sheets[0]).toMatchObject({ read: 60, added: 60, setAside: 0, refused: 0 });
      expect(await contents(hivesTable())).toEqual(before);
    },
  );

  test.each([21, 22, 23])('a whole workspace as a Data Package, start %i: tables, types, keys, links, formulas and records', async (start) => {
    await newSeat();
    await build(structure);
    await build(formulas);
    await fill(start, 80);
    // By its title no cell with several could name it; a package names records by their numbers.
    await writeRecords(place.pool, place.seat, 'apiaries', { update: [{ id: 2, values: { name: 'here; there' } }] });
    const { model } = place.seat.workspace;
    const bytes = await bytesOf(streamOf(workspacePackage(place.pool, place.seat, (field) => fieldJson(model, field))), 'package.zip');
    const before = await contents(hivesTable());
    const shape = nameless(modelJson(model));
    await newSeat();
    const intake = await bring({ name: 'package.zip', bytes });
    expect(intake.problem).toBeNull();
    const loaded = await load(intake.id);
    expect(loaded.problem).toBeNull();
    expect(loaded.receipt?.sheets).toMatchObject([
      { read: apiaries.length, added: apiaries.length, setAside: 0, refused: 0 },
      { read: 80, added: 80, setAside: 0, refused: 0 },
    ]);
    expect(nameless(modelJson(place.seat.workspace.model))).toEqual(shape);
    expect(await contents(hivesTable())).toEqual(before);
    const [first] = await stored('hives', '_id');
    const [record] = await readByIds(place.pool, place.seat, hivesTable(), [Number(first?._id)]);
    const weight = record?.values.weight as number | null;
    expect(record?.values.double).toBe(weight === null ? null : weight * 2);
  });
});

/** A structure without identities and order of fields, which are made anew. */
function nameless(model: ReturnType<typeof modelJson>): unknown {
  const bare = (value: unknown): unknown =>
    Array.isArray(value)
      ? value.map(bare)
      : typeof value === 'object' && value !== null
        ? Object.fromEntries(Object.entries(value).flatMap(([key, one]) => (key === 'id' || one === undefined ? [] : [[key, bare(one)]])))
        : value;
  return model.tables.map(({ fields, ...table }) => ({
    ...(bare(table) as object),
    fields: (bare(fields) as { key: string }[]).toSorted((a, b) => (a.key < b.key ? -1 : 1)),
  }));
}
