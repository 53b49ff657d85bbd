import { mkdirSync, writeFileSync } from 'node:fs';
import iconv from 'iconv-lite';
import { stringify } from 'csv-stringify/sync';
import { randomFrom } from './random';
import { makeWorld } from './world';

/**
 * The files as a team really has them, in demo/sources: hives in Windows-1252 with semicolons and decimal commas, their
 * numbers with leading zeros; inspections in UTF-8 with commas, some of hives that were never listed; one sheet for
 * everything, under a title; honey by month, with sums. Run this file with
 * tsx to make them anew; the same start gives the same bytes.
 */
export function makeSources(): { name: string; bytes: Buffer }[] {
  const { hives, inspections, apiaries, keepers } = makeWorld();
  const random = randomFrom(7);
  const nameOf = new Map(keepers.map(({ code, name }) => [code, name]));
  const number = (written: string) => written.slice(2);
  const hiveRows = hives.map((hive) => [
    number(hive.number),
    hive.apiary,
    nameOf.get(hive.keeper) ?? '',
    hive.type,
    hive.weight === null ? '' : String(hive.weight).replace('.', ','),
    hive.since,
  ]);
  const missing = ['0901', '0902', '0903', '0777'];
  const visitRows = inspections.slice(0, 3600).map((visit, index) => {
    const hive = index % 225 === 17 ? (missing[Math.floor(random() * missing.length)] ?? '') : number(visit.hive);
    const frames = index % 400 === 9 ? 'n/a' : visit.frames === null ? '' : String(visit.frames);
    return [
      hive,
      index % 900 === 31 ? '2026-02-30' : visit.day,
      nameOf.get(visit.keeper) ?? '',
      frames,
      `${visit.stores}`,
      visit.seen,
      visit.notes,
    ];
  });
  // One sheet for everything: what belongs to the hive, its apiary and its keeper stands on every row, now and then
  // misspelt.
  const hiveOf = new Map(hives.map((hive) => [hive.number, hive]));
  const keeperOf = new Map(keepers.map((keeper) => [keeper.code, keeper]));
  const apiaryOf = new Map(apiaries.map((apiary) => [apiary.name, apiary]));
  const everythingRows = inspections.slice(0, 1500).map((visit, index) => {
    const hive = hiveOf.get(visit.hive);
    const keeper = keeperOf.get(hive?.keeper ?? '');
    const apiary = apiaryOf.get(hive?.apiary ?? '');
    const village = keeper?.village ?? '';
    const [year, month, day] = visit.day.split('-');
    return [
      `${day}.${month}.${year}`,
      visit.hive,
      hive?.type ?? '',
      keeper?.code ?? '',
      index % 300 === 41 ? (keeper?.name.toUpperCase() ?? '') : (keeper?.name ?? ''),
      index % 250 === 77 ? `${village.slice(0, -2)}${village.slice(-1)}` : village,
      apiary?.name ?? '',
      String(apiary?.height ?? ''),
      visit.frames === null ? (index % 2 === 0 ? '–' : 'n/a') : String(visit.frames),
      `${visit.stores} %`,
      visit.notes,
    ];
  });
  const apiaryRows = apiaries.map(({ name, village, height }) => [name, village, String(height)]);
  return [
    {
      name: 'hives.csv',
      bytes: iconv.encode(
        stringify([['hive_no', 'apiary', 'keeper', 'type', 'weight_kg', 'since'], ...hiveRows], {
          delimiter: ';',
          record_delimiter: '\r\n',
        }),
        'windows-1252',
      ),
    },
    {
      name: 'inspections.csv',
      bytes: Buffer.from(
        stringify([['hive_no', 'visited', 'keeper', 'frames', 'stores', 'seen', 'notes'], ...visitRows]),
      ),
    },
    {
      name: 'everything.csv',
      bytes: Buffer.from(
        stringify([
          ['Inspections of last season, from the shared folder'],
          [],
          [
            'day',
            'hive_no',
            'hive_type',
            'keeper_code',
            'keeper',
            'keeper_village',
            'apiary_name',
            'apiary_height',
            'frames',
            'stores',
            'notes',
          ],
          ...everythingRows,
        ]),
      ),
    },
    // Letters and calls about swarms, noted down by whoever took them: a day that is none, a size of their own, codes
    // typed in a hurry.
    {
      name: 'swarm letters.csv',
      bytes: Buffer.from(
        stringify([
          ['place', 'seen_on', 'size', 'state', 'words', 'taken_by'],
          ['hedge, Corby Hollow', '04.05.2026', 'melon', 'taken', 'by letter', 'K-012'],
          ['school yard, Dunmere', '31.04.2026', 'fist', 'seen', 'the caretaker called twice', ''],
          ['barn, Fellside', '07.05.2026', 'bucket', 'taken', '', 'K-031'],
          ['chimney, Elder Cross', '09.05.2026', 'basket', 'taken', 'gone into the wall', 'K 007'],
          ['apple tree, Brackenrigg', '11.05.2026', 'melon', 'gone', '', ''],
          ['letter box, Hollinbank', '12.05.2026', 'fist', 'taken', 'the post was late', 'K-099'],
        ]),
      ),
    },
    harvestByMonth(apiaries.map(({ name }) => name)),
    { name: 'apiaries.csv', bytes: Buffer.from(stringify([['name', 'village', 'height_m'], ...apiaryRows])) },
  ];
}

/** The board's sheet of the season: a title, a column a month, sums to the right and below, who added them up. */
function harvestByMonth(apiaries: readonly string[]): { name: string; bytes: Buffer } {
  const random = randomFrom(11);
  const months = ['Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep'];
  const rows = apiaries.map((apiary, at) => ({
    apiary,
    kg: months.map((_, month) => (month === 0 && at % 3 === 0 ? null : Math.round(random() * 400) / 2)),
  }));
  const sum = (kg: readonly (number | null)[]) => kg.reduce<number>((all, one) => all + (one ?? 0), 0);
  const written = (kg: number | null) => (kg === null ? '' : String(kg).replace('.', ','));
  const totals = months.map((_, month) => sum(rows.map(({ kg }) => kg[month] ?? null)));
  const lines = [
    ['Honey of the season 2025 in kg'],
    ['Apiary', ...months, 'Season'],
    ...rows.map(({ apiary, kg }) => [apiary, ...kg.map(written), written(sum(kg))]),
    ['All apiaries', ...totals.map(written), written(sum(totals))],
    ['Added up by Wren'],
  ];
  return { name: 'honey by month.csv', bytes: Buffer.from(lines.map((line) => line.join(';')).join('\r\n') + '\r\n') };
}

if (process.argv[1]?.endsWith('sources.ts')) {
  mkdirSync('demo/sources', { recursive: true });
  for (const { name, bytes } of makeSources()) writeFileSync(`demo/sources/${name}`, bytes);
}
