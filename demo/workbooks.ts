import { mkdirSync, writeFileSync } from 'node:fs';
import { stringify } from 'csv-stringify/sync';
import { writeXlsx } from 'hucre/xlsx';
import iconv from 'iconv-lite';
import type { Cell } from '../src/lib/server/fieldTypes/kind';
import { odsPieces } from '../src/lib/server/export/ods';
import { randomFrom } from './random';
import { makeSeason } from './season';
import { makeWorld } from './world';

interface SourceFile {
  readonly name: string;
  readonly bytes: Buffer;
}

const german = (iso: string): string => iso.split('-').reverse().join('.');
const american = (iso: string): string => {
  const [year, month, day] = iso.split('-');
  return `${month}/${day}/${year}`;
};

/**
 * The rest of what the team keeps, as it really keeps it: a register of several sheets that refer to each other by
 * code, with misspelt and missing codes, stray spaces and two orders of dates; a colony book; lots with their harvests
 * inside; what went into lots and out of them in two files of different make. The same start gives the same contents.
 */
export async function makeWorkbooks(): Promise<SourceFile[]> {
  const world = makeWorld();
  const season = makeSeason(world);
  return [
    { name: 'register.xlsx', bytes: await register(world, season) },
    { name: 'colony book.ods', bytes: await colonyBook(season) },
    { name: 'lots.json', bytes: lots(season) },
    ...movements(season),
    { name: 'market.xlsx', bytes: await market(season) },
    { name: 'swarm reports.csv', bytes: swarmReports(world) },
  ];
}

type World = ReturnType<typeof makeWorld>;
type Season = ReturnType<typeof makeSeason>;

async function register(
  { keepers, apiaries, hives }: World,
  { plants, forage, stands, queens }: Season,
): Promise<Buffer> {
  const random = randomFrom(31);
  /** A code as it was typed in a hurry, now and then. */
  const typed = (code: string, index: number): string =>
    index % 37 === 5
      ? code.toLowerCase()
      : index % 41 === 7
        ? code.replace('-', ' ')
        : index % 53 === 11
          ? ` ${code} `
          : index % 120 === 99
            ? 'K-099'
            : code;
  const standOf = (apiary: string, index: number) => {
    const own = stands.filter((stand) => stand.apiary === apiary);
    return own[index % own.length]?.code.split('-')[1]?.replace(/^0/, '') ?? '';
  };
  const sheets = [
    {
      name: 'Keepers',
      rows: [
        ['code', 'name', 'village', 'email', 'joined', 'mentor'],
        ...keepers.map(({ code, name, village, email, joined, mentor }, i) => [
          code,
          name,
          i % 20 === 9 ? `${village} ` : village,
          i % 15 === 4 ? 'n/a' : email,
          german(joined),
          mentor ?? '–',
        ]),
      ],
    },
    {
      name: 'Apiaries',
      rows: [
        ['name', 'village', 'height_m', 'steward', 'forage'],
        ...apiaries.map(({ name, village, height, steward }) => [
          name,
          village,
          height,
          steward,
          (forage.get(name) ?? []).join('; '),
        ]),
      ],
    },
    {
      name: 'Plants',
      rows: [
        ['name', 'flowers from', 'flowers to'],
        ...plants.map((plant) => [plant.name, new Date(plant.flowers_from), new Date(plant.flowers_to)]),
      ],
    },
    {
      name: 'Stands',
      rows: [
        ['apiary', 'stand', 'shade'],
        ...stands.map(({ apiary, code, shade }) => [apiary, code.split('-')[1]?.replace(/^0/, '') ?? '', shade]),
      ],
    },
    {
      name: 'Hives',
      rows: [
        ['hive_no', 'apiary', 'stand', 'keeper', 'type', 'weight_kg', 'since', 'queen'],
        ...hives.map((hive, i) => [
          hive.number,
          hive.apiary,
          random() < 0.2 ? '' : standOf(hive.apiary, i),
          typed(hive.keeper, i),
          hive.type,
          hive.weight,
          american(hive.since),
          i < queens.length && i % 9 !== 3 ? (queens[i]?.mark ?? '') : '',
        ]),
      ],
    },
  ];
  return Buffer.from(await writeXlsx({ sheets: sheets.map(({ name, rows }) => ({ name, rows })) }));
}

async function colonyBook({ queens, miteCounts, treatments }: Season): Promise<Buffer> {
  const text = (value: string): Cell => ({ text: value });
  const number = (value: number | null, blank = ''): Cell =>
    value === null ? text(blank) : { text: String(value), number: value };
  const day = (value: string | null): Cell => (value === null ? text('') : { text: value, date: value });
  const sheets: { name: string; rows: Cell[][] }[] = [
    {
      name: 'Queens',
      rows: [
        ['mark', 'mother', 'born on', 'line', 'temper'].map(text),
        ...queens.map((queen) => [
          text(queen.mark),
          text(queen.mother ?? ''),
          day(queen.born_on),
          text(queen.line),
          number(queen.temper),
        ]),
      ],
    },
    {
      name: 'Mite counts',
      rows: [
        ['hive_no', 'counted on', 'method', 'bees sampled', 'mites'].map(text),
        ...miteCounts.map((count) => [
          text(count.hive),
          text(german(count.day)),
          text(count.method),
          number(count.bees_sampled),
          number(count.mites, 'n/a'),
        ]),
      ],
    },
    {
      name: 'Treatments',
      rows: [
        ['hive_no', 'product', 'begins', 'ends'].map(text),
        ...treatments.map((one) => [text(one.hive), text(one.product), day(one.begins), day(one.ends)]),
      ],
    },
  ];
  const chunks: Uint8Array[] = [];
  const parts = odsPieces(
    sheets.map(({ name, rows }) => ({
      name,
      rows: (async function* () {
        await Promise.resolve();
        yield rows;
      })(),
    })),
  );
  for await (const chunk of parts) chunks.push(chunk);
  return Buffer.concat(chunks);
}

const lots = ({ lots: all, harvests }: Season): Buffer =>
  Buffer.from(
    JSON.stringify(
      all.map(({ number, kind, price_per_kg }) => ({
        number,
        kind,
        price_per_kg: `${price_per_kg} EUR`,
        harvests: harvests
          .filter(({ lot }) => lot === number)
          .map(({ hive, day, kg, moisture }) => ({ hive, day, kg: Number(kg), moisture })),
      })),
      null,
      1,
    ),
  );

function movements({ movements: all }: Season): SourceFile[] {
  const out = all
    .filter(({ kind }) => kind === 'extraction')
    .map(({ lot, day, kg }) => [lot, german(day), kg.replace('.', ',')]);
  const filled = all
    .filter(({ kind }) => kind === 'filling')
    .map(({ lot, day, kg }, i) => [lot, day, kg, String(40 + i * 3)]);
  return [
    {
      name: 'extractions.csv',
      bytes: iconv.encode(
        stringify([['lot', 'extracted on', 'kilograms'], ...out], { delimiter: ';', record_delimiter: '\r\n' }),
        'windows-1252',
      ),
    },
    { name: 'fillings.csv', bytes: Buffer.from(stringify([['lot_no', 'filled_on', 'kg', 'jars'], ...filled])) },
  ];
}

async function market({ marketDays, sales }: Season): Promise<Buffer> {
  const no = (i: number) => `MD-${String(i + 1).padStart(2, '0')}`;
  return Buffer.from(
    await writeXlsx({
      sheets: [
        {
          name: 'Market days',
          rows: [
            ['market_day_no', 'day', 'village', 'stall keeper', 'weather'],
            ...marketDays.map(({ day, village, keeper, weather }, i) => [
              no(i),
              new Date(day),
              village,
              keeper,
              weather,
            ]),
          ],
        },
        {
          name: 'Sales lines',
          rows: [
            ['market_day', 'lot', 'jar', 'jars'],
            ...sales.map(({ day, lot, jar, jars }) => [no(day), lot, jar, jars]),
          ],
        },
      ],
    }),
  );
}

const swarmReports = ({ reports, keepers }: World): Buffer =>
  Buffer.from(
    stringify([
      ['place', 'seen_on', 'size', 'state', 'words', 'taken_by'],
      ...reports.map(({ place, seen_on, size, state, words }, i) => [
        place,
        seen_on,
        size,
        state,
        words,
        state === 'taken' ? (keepers[i % keepers.length]?.code ?? '') : '',
      ]),
    ]),
  );

if (process.argv[1]?.endsWith('workbooks.ts')) {
  mkdirSync('demo/sources', { recursive: true });
  for (const { name, bytes } of await makeWorkbooks()) writeFileSync(`demo/sources/${name}`, bytes);
}
