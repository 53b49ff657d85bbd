import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import * as sheetjs from '@e965/xlsx';
import { Package } from 'datapackage';
import { strFromU8, unzipSync } from 'fflate';
import { describe, expect, test } from 'vitest';
import { type ChangeJson, changesFromJson } from '$server/api/changes/changes';
import { fieldJson, type FieldJson } from '$server/structure/fieldJson';
import { modelJson } from '$server/api/modelJson';
import { isEntered, isToMany } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { printValue, sampleValue, type EnteredType } from '$core/fieldTypes/registry';
import { correctIntake } from '$server/intake/intakes';
import { streamOf } from '$server/base/streamOf';
import { cellPages, type CellRow, type Selected } from '$server/export/cells';
import { csvPieces } from '$server/export/csv';
import { copiedStatement } from '$server/export/csvCopied';
import { workspacePackage } from '$server/export/dataPackage';
import { jsonExport } from '$server/export/json';
import { odsExport } from '$server/export/ods';
import { xlsxExport } from '$server/export/xlsx';
import { applyPlan, makePlan } from '$server/structure/plan';
import { readByIds } from '$server/query/read';
import { writeRecords } from '$server/entry/write';
import { intaking } from './intaking';
import { randomFrom } from '../../demo/random';

const { place, newAccess, again, bring, load, stored } = intaking('round_trip');

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
  {
    do: 'addField',
    table: 'hives',
    field: { label: 'Apiary', type: 'link', to: 'apiaries', onDelete: 'clear', counterpart: { label: 'Its hives' } },
  },
  {
    do: 'addField',
    table: 'hives',
    field: { label: 'Split from', type: 'link', to: 'hives', onDelete: 'clear', counterpart: { label: 'Splits' } },
  },
  {
    do: 'addField',
    table: 'hives',
    field: {
      label: 'Near to',
      type: 'link',
      to: 'apiaries',
      many: true,
      onDelete: 'clear',
      counterpart: { label: 'Near hives' },
    },
  },
];
const formulas: ChangeJson[] = [
  { do: 'addField', table: 'hives', field: { label: 'Double', type: 'formula', formula: 'weight * 2' } },
  { do: 'addField', table: 'apiaries', field: { label: 'Hive count', type: 'formula', formula: 'count(its_hives)' } },
];
const apiaries = ['Low Meadow', 'Fell Gate', '=1+2', 'a, "b"', 'Ünder the – hill', "'=quoted", '0042'];

async function build(changes: readonly ChangeJson[]) {
  const plan = await makePlan(place.pool, place.access, changesFromJson(place.access.workspace.model, changes));
  expect(plan.possible).toBe(true);
  await applyPlan(place.pool, place.access, plan.id);
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
  const ids = (
    await writeRecords(place.pool, place.access, 'apiaries', { insert: apiaries.map((name) => ({ values: { name } })) })
  ).records.map(({ id }) => id);
  const hives = place.access.workspace.model.tables.find(({ key }) => key === 'hives') as Table;
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  const insert = Array.from({ length: count }, (_, i) => {
    const values: Record<string, unknown> = { number: String(i + 1).padStart(4, '0') };
    for (const field of hives.fields) {
      if (
        !isEntered(field) ||
        field.key === 'number' ||
        field.type.kind === 'link' ||
        isToMany(field) ||
        random() < 0.25
      )
        continue;
      values[field.key] =
        field.key === 'notes'
          ? pick(nasty)
          : printValue(sampleValue(random, field.type as EnteredType), field.type as EnteredType);
    }
    values.apiary = random() < 0.2 ? null : pick(ids);
    values.near_to = ids.filter(() => random() < 0.3);
    return { values };
  });
  const made = await writeRecords(place.pool, place.access, 'hives', { insert });
  await writeRecords(place.pool, place.access, 'hives', {
    update: made.records
      .slice(1)
      .flatMap(({ id }, i) => (random() < 0.3 ? [{ id, values: { split_from: made.records[i]?.id ?? null } }] : [])),
  });
}

const hivesTable = () => place.access.workspace.model.tables.find(({ key }) => key === 'hives') as Table;
const entered = (table: Table): Field[] => table.fields.filter((field) => isEntered(field));

/** All values of all records, links by their targets' titles, in the order of the number. */
async function contents(table: Table) {
  const rows: unknown[] = [];
  for await (const page of cellPages(place.pool, place.access, {
    table,
    fields: entered(table),
    filter: null,
    sort: [],
  }))
    rows.push(
      ...page.map(({ cells }) =>
        cells.map(({ text }) => (text.includes('; ') ? text.split('; ').sort().join('; ') : text)),
      ),
    );
  return rows.map((row) => JSON.stringify(row)).sort();
}

const folder = mkdtempSync(join(tmpdir(), 'loom-trip-'));
async function bytesOf(stream: ReadableStream<Uint8Array>, name: string): Promise<Buffer> {
  const bytes = Buffer.from(await new Response(stream).arrayBuffer());
  writeFileSync(join(folder, name), bytes);
  return bytes;
}

const formats = {
  csv: (selected: Selected) => streamOf(csvPieces(place.pool, place.access, selected, 'spreadsheet')),
  xlsx: (selected: Selected) => streamOf(xlsxExport(place.pool, place.access, selected)),
  ods: (selected: Selected) => streamOf(odsExport(place.pool, place.access, selected)),
  json: (selected: Selected) => streamOf(jsonExport(place.pool, place.access, selected, 'spreadsheet')),
};

describe('CSV that PostgreSQL writes itself', () => {
  test('is to the byte what the core writes, for every field and generated values', async () => {
    await newAccess();
    await build(structure);
    await fill(23, 80);
    const table = hivesTable();
    const text = async (fields: readonly Field[], change?: (page: CellRow[]) => Promise<CellRow[]>) =>
      Buffer.from(
        await new Response(
          streamOf(
            csvPieces(place.pool, place.access, { table, fields, filter: null, sort: [] }, 'spreadsheet', change),
          ),
        ).arrayBuffer(),
      ).toString('utf8');
    let copied = 0;
    for (const field of table.fields) {
      const selected = { table, fields: [field], filter: null, sort: [] };
      if (copiedStatement(place.access, selected) === null) continue;
      copied++;
      // What is changed on the way comes from the core.
      const core = await text([field], (page) => Promise.resolve(page));
      const own = await text([field]);
      expect(own, field.key).toEqual(core);
    }
    expect(copied).toBeGreaterThan(12);
  });
});

describe('what is exported is read again as the same', () => {
  test.each(
    Object.keys(formats).flatMap((format) => [11, 12].map((start) => [format as keyof typeof formats, start] as const)),
  )('%s into a table of the same structure, start %i', async (format, start) => {
    await newAccess();
    await build(structure);
    await fill(start, 60);
    const table = hivesTable();
    const bytes = await bytesOf(
      formats[format]({ table, fields: entered(table), filter: null, sort: [] }),
      `hives.${format}`,
    );
    const before = await contents(table);
    // Into a workspace with the same structure, in which the apiaries stand already.
    await newAccess();
    await build(structure);
    await writeRecords(place.pool, place.access, 'apiaries', {
      insert: apiaries.map((name) => ({ values: { name } })),
    });
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
    await correctIntake(place.pool, place.access, intake.id, {
      tables: { 0: { into: to.id, by: [], mode: 'add' } },
      columns,
    });
    const loaded = await load(intake.id);
    expect(loaded.problem).toBeNull();
    expect(loaded.receipt?.sheets[0]?.reasons).toEqual([]);
    expect(loaded.receipt?.sheets[0]).toMatchObject({ read: 60, added: 60, setAside: 0, refused: 0 });
    expect(await contents(hivesTable())).toEqual(before);
  });

  test.each([21, 22, 23])(
    'a whole workspace as a Data Package, start %i: tables, types, keys, links, formulas and records',
    async (start) => {
      await newAccess();
      await build(structure);
      await build(formulas);
      await fill(start, 80);
      // By its title no cell with several could name it; a package names records by their numbers.
      await writeRecords(place.pool, place.access, 'apiaries', {
        update: [{ id: 2, values: { name: 'here; there' } }],
      });
      const { model } = place.access.workspace;
      const bytes = await bytesOf(
        streamOf(workspacePackage(place.pool, place.access, (field) => fieldJson(model, field))),
        'package.zip',
      );
      const before = await contents(hivesTable());
      const shape = nameless(modelJson(model));
      await newAccess();
      const intake = await bring({ name: 'package.zip', bytes });
      expect(intake.problem).toBeNull();
      const loaded = await load(intake.id);
      expect(loaded.problem).toBeNull();
      expect(loaded.receipt?.sheets).toMatchObject([
        { read: apiaries.length, added: apiaries.length, setAside: 0, refused: 0 },
        { read: 80, added: 80, setAside: 0, refused: 0 },
      ]);
      expect(nameless(modelJson(place.access.workspace.model))).toEqual(shape);
      expect(await contents(hivesTable())).toEqual(before);
      const [first] = await stored('hives', '_id');
      const [record] = await readByIds(place.pool, place.access, hivesTable(), [Number(first?._id)]);
      const weight = record?.values.weight as number | null;
      expect(record?.values.double).toBe(weight === null ? null : weight * 2);
    },
  );
});

interface PackageReading {
  readonly valid: boolean;
  readonly errors: readonly Error[];
  readonly resources: readonly {
    readonly name: string;
    read(options: { keyed: true; relations: true }): Promise<Record<string, unknown>[]>;
  }[];
}

test('a package is one to a reader of the standard by others: its descriptor, each value by its type, each key it names', async () => {
  await newAccess();
  await build(structure);
  await build([
    ...formulas,
    { do: 'addRule', table: 'hives', message: 'No less than nothing.', condition: 'whole >= 0', fromNow: true },
  ]);
  await fill(31, 80);
  const { model } = place.access.workspace;
  const bytes = await bytesOf(
    streamOf(workspacePackage(place.pool, place.access, (field) => fieldJson(model, field))),
    'standard.zip',
  );
  const folder = mkdtempSync(join(tmpdir(), 'loom-package-'));
  for (const [name, content] of Object.entries(unzipSync(bytes))) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), content);
  }
  const descriptor = JSON.parse(readFileSync(join(folder, 'datapackage.json'), 'utf8')) as {
    without: string[];
    resources: { schema: { foreignKeys: unknown[] } }[];
  };
  expect(descriptor.without).toEqual(['1 rule']);
  expect(descriptor.resources[1]?.schema.foreignKeys).toEqual([
    { fields: ['apiary'], reference: { resource: 'apiaries', fields: ['_record'] } },
    { fields: ['split_from'], reference: { resource: '', fields: ['_record'] } },
  ]);
  const read = (await Package.load(descriptor, { basePath: folder, strict: false })) as PackageReading;
  expect(read.errors.map(({ message }) => message)).toEqual([]);
  expect(read.valid).toBe(true);
  const tables = await Promise.all(read.resources.map((resource) => resource.read({ keyed: true, relations: true })));
  expect(tables.map(({ length }) => length)).toEqual([apiaries.length, 80]);
  const hives = await readByIds(
    place.pool,
    place.access,
    hivesTable(),
    tables[1]!.map(({ _record }) => Number(_record)),
  );
  expect(tables[1]!.map((row) => [row.number, row.in_use, (row.apiary as { name: string } | null)?.name])).toEqual(
    hives.map(({ values }) => [values.number, values.in_use, (values.apiary as { title: string } | null)?.title]),
  );
});

test('for a program CSV has keys, numbers of records and bare values, JSON the values of the API', async () => {
  await newAccess();
  await build(structure);
  const [made] = (
    await writeRecords(place.pool, place.access, 'hives', {
      insert: [{ values: { number: '=1+1', share: -0.05, in_use: true, seen: ['queen', 'cups'], cost: '12.5 EUR' } }],
    })
  ).records;
  const table = hivesTable();
  const selected = {
    table,
    fields: table.fields.filter(({ key }) => ['number', 'share', 'in_use', 'seen', 'cost'].includes(key)),
    filter: null,
    sort: [],
  };
  const written = (stream: AsyncGenerator<Uint8Array, void>) => new Response(streamOf(stream)).text();
  expect(await written(csvPieces(place.pool, place.access, selected, 'program'))).toBe(
    `_record,number,cost,share,in_use,seen\r\n${made!.id},=1+1,12.5 EUR,-5 %,yes,queen; cups\r\n`,
  );
  expect(await written(csvPieces(place.pool, place.access, selected, 'spreadsheet'))).toBe(
    "Number,Cost,Share,In use,Seen\r\n'=1+1,12.5 EUR,-5 %,yes,queen; cups\r\n",
  );
  expect(JSON.parse(await written(jsonExport(place.pool, place.access, selected, 'program')))).toEqual([
    {
      _id: made!.id,
      number: '=1+1',
      cost: { amount: 12.5, currency: 'EUR' },
      share: -0.05,
      in_use: true,
      seen: ['queen', 'cups'],
    },
  ]);
});

test('a workbook has shares, amounts, instants and numbers as such, in the format of their field, and texts to the letter', async () => {
  await newAccess();
  await build(structure);
  const values = {
    number: 'a_x0041_b\u0007',
    weight: 1234.5,
    price: 3.5,
    share: 0.125,
    since: '2026-05-16',
    seen_at: '2026-05-16T12:30:05Z',
    stores: 0.4,
  };
  await writeRecords(place.pool, place.access, 'hives', { insert: [{ values }] });
  const table = hivesTable();
  const fields = table.fields.filter(({ key }) => key in values);
  const bytes = await bytesOf(
    streamOf(xlsxExport(place.pool, place.access, { table, fields, filter: null, sort: [] })),
    'formats.xlsx',
  );
  const sheet = sheetjs.read(bytes, { cellNF: true, cellStyles: true }).Sheets.Hives!;
  const shown = (at: string) => [sheet[at]?.t, sheet[at]?.v, sheet[at]?.z] as unknown[];
  expect(['A2', 'B2', 'C2', 'D2', 'E2', 'F2', 'G2'].map(shown)).toEqual([
    ['s', 'a_x0041_b\u0007', 'General'],
    ['n', 1234.5, '#,##0.00"\u00A0kg"'],
    ['n', 3.5, '#,##0.00\\ [$EUR]'],
    ['n', 0.125, '0.00%'],
    ['n', 46158, 'yyyy-mm-dd'],
    ['n', expect.closeTo(46158.52089, 4), 'yyyy-mm-dd hh:mm:ss'],
    ['n', 0.4, '0%'],
  ]);
  expect(strFromU8(unzipSync(bytes)['xl/worksheets/sheet1.xml']!)).toMatch(/<pane [^>]*ySplit="1"[^>]*state="frozen"/);
  expect(sheet['!autofilter']).toEqual({ ref: 'A1:G2' });
  expect(['A1', 'G1'].map((at) => shown(at)[1])).toEqual(
    fields.map(({ label }) => label).filter((_, index) => index % 6 === 0),
  );
});

test('a workbook goes on in a next sheet where one is full, and loses no row', async () => {
  await newAccess();
  await build(structure);
  const names = Array.from({ length: 23 }, (_, n) => `H ${n}`);
  await writeRecords(place.pool, place.access, 'hives', { insert: names.map((number) => ({ values: { number } })) });
  const table = hivesTable();
  const fields = table.fields.filter(({ key }) => key === 'number');
  const bytes = await bytesOf(
    streamOf(xlsxExport(place.pool, place.access, { table, fields, filter: null, sort: [] }, 10)),
    'sheets.xlsx',
  );
  const book = sheetjs.read(bytes);
  expect(book.SheetNames).toEqual(['Hives', 'Hives 2', 'Hives 3']);
  const rows = book.SheetNames.map((name) =>
    sheetjs.utils.sheet_to_json<{ Number: string }>(book.Sheets[name]!).map((row) => row.Number),
  );
  expect(rows.map(({ length }) => length)).toEqual([9, 9, 5]);
  expect(rows.flat()).toEqual(names);
});

/** A structure without identities and order of fields, which are made anew. */
function nameless(model: ReturnType<typeof modelJson>): unknown {
  const bare = (value: unknown): unknown =>
    Array.isArray(value)
      ? value.map(bare)
      : typeof value === 'object' && value !== null
        ? Object.fromEntries(
            Object.entries(value).flatMap(([key, one]) =>
              key === 'id' || one === undefined ? [] : [[key, bare(one)]],
            ),
          )
        : value;
  return model.tables.map(({ fields, ...table }) => ({
    ...(bare(table) as object),
    fields: (bare(fields) as { key: string }[]).toSorted((a, b) => (a.key < b.key ? -1 : 1)),
  }));
}
