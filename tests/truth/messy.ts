import { typed, type TruthCase, type TruthFile } from './case';

/** A repeatable source of chance (mulberry32). */
function chance(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

type Random = () => number;
const whole = (random: Random, least: number, most: number) => least + Math.floor(random() * (most - least + 1));
const one = <T>(random: Random, list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
const two = (n: number) => String(n).padStart(2, '0');

const cell = (value: unknown): string => {
  const text = String(value ?? '');
  return /[",;\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
};

function csv(
  name: string,
  header: readonly string[],
  rows: readonly (readonly unknown[])[],
  delimiter = ',',
): TruthFile {
  const lines = [header, ...rows].map((row) => row.map(cell).join(delimiter));
  return { name: `${name}.csv`, bytes: `${lines.join('\n')}\n` };
}

const rowsOf = <T>(count: number, make: (at: number) => T): T[] => Array.from({ length: count }, (_, at) => make(at));

const made = (
  name: string,
  half: TruthCase['half'],
  files: (random: Random) => readonly TruthFile[],
  truth: TruthCase['truth'],
): TruthCase => ({ name, half, from: 'made up', files: () => Promise.resolve(files(chance(name.length))), truth });

const villages = [
  'Kestrel Low',
  'Fernhollow',
  'Wick End',
  'Marlow Bar',
  'Old Staithe',
  'Thornby',
  'Upper Leam',
  'Hazel Ford',
];
const people = [
  'Ada Finch',
  'Bram Oakes',
  'Cilla Reed',
  'Dov Marsh',
  'Ebba Lund',
  'Finn Harrow',
  'Greta Vale',
  'Hugo Penn',
];

const none: Omit<TruthCase['truth'], 'sheets'> = { links: [], things: [] };

/** Sheets as people keep them, made up here, with what is reported of such ones again and again. */
export const messy: readonly TruthCase[] = [
  made(
    'food with units in some cells',
    'practice',
    (random) => [
      csv(
        'food',
        ['Food', 'Group', 'Energy', 'Protein', 'Salt', 'Change'],
        rowsOf(120, (at) => [
          `${one(random, ['Oat', 'Rye', 'Barley', 'Spelt'])} ${one(random, ['bread', 'flakes', 'flour'])} ${at + 1}`,
          one(random, ['Bread', 'Flour', 'Flakes']),
          random() < 0.7 ? `${whole(random, 800, 1900)} kJ` : String(whole(random, 800, 1900)),
          random() < 0.12 ? 'n.d.' : `${whole(random, 2, 19)},${two(whole(random, 0, 99))} g`,
          random() < 0.1 ? '<0,1 g' : random() < 0.1 ? 'traces' : `${whole(random, 0, 3)},${whole(random, 1, 9)} g`,
          `${random() < 0.5 ? '-' : '+'}${whole(random, 0, 9)},${whole(random, 1, 9)}`,
        ]),
        ';',
      ),
    ],
    {
      ...none,
      sheets: {
        food: {
          types: typed({ text: ['Food'], option: ['Group'], number: ['Energy', 'Protein', 'Salt', 'Change'] }),
          key: ['Food'],
        },
      },
    },
  ),
  made(
    'bookings with signs, brackets and four ways to write a day',
    'measure',
    (random) => [
      csv(
        'bookings',
        ['Booked', 'Account', 'Text', 'Amount', 'Balance', 'Fee'],
        rowsOf(200, (at) => {
          const [day, month] = [whole(random, 13, 28), whole(random, 1, 12)];
          const booked = [
            `2025-${two(month)}-${two(day)}`,
            `${day}.${month}.2025`,
            `${day}/${two(month)}/25`,
            `${day} ${['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'][month - 1]} 2025`,
          ][random() < 0.8 ? 0 : at % 4];
          const sum = `${whole(random, 1, 9)},${whole(random, 100, 999)}.${two(whole(random, 0, 99))}`;
          return [
            booked,
            whole(random, 10_000_000, 10_000_019),
            `${one(random, ['Rent', 'Feed', 'Jars', 'Fuel'])} ${one(random, people)}`,
            random() < 0.3 ? `($${sum})` : `$${sum}`,
            random() < 0.3 ? `-€${sum}` : `€${sum}`,
            `${random() < 0.2 ? '-' : ''}${whole(random, 1, 20)}.${two(whole(random, 0, 99))} USD`,
          ];
        }),
      ),
    ],
    {
      ...none,
      sheets: {
        bookings: {
          types: typed({
            date: ['Booked'],
            'text|option': ['Account', 'Text'],
            money: ['Amount', 'Balance'],
            'money|number': ['Fee'],
          }),
          key: null,
        },
      },
    },
  ),
  made(
    'loans of books, with zeros lost on one side',
    'practice',
    (random) => [
      csv(
        'readers',
        ['reader_no', 'name', 'postcode', 'phone'],
        rowsOf(60, (at) => [
          String(at * 7 + 11).padStart(6, '0'),
          `${one(random, people)} ${at}`,
          String(whole(random, 100, 9999)).padStart(5, '0'),
          `0${whole(random, 20, 89)} ${whole(random, 100_000, 999_999)}`,
        ]),
      ),
      csv(
        'loans',
        ['isbn', 'reader', 'lent', 'back'],
        rowsOf(300, (at) => [
          `978${String(1_000_000_000 + (at % 50) * 104_729).slice(0, 9)}${at % 10}`,
          whole(random, 0, 59) * 7 + 11,
          `2025-${two(whole(random, 1, 12))}-${two(whole(random, 1, 28))}`,
          random() < 0.18 ? 'still out' : `2026-${two(whole(random, 1, 12))}-${two(whole(random, 1, 28))}`,
        ]),
      ),
    ],
    {
      sheets: {
        readers: {
          types: typed({ text: ['reader_no', 'name', 'postcode'], 'phone|text': ['phone'] }),
          key: ['reader_no'],
        },
        loans: { types: typed({ text: ['isbn', 'reader'], date: ['lent', 'back'] }), key: null },
      },
      links: ['loans.reader > readers.reader_no'],
      things: [],
    },
  ),
  made(
    'honey by month, with totals under it',
    'practice',
    (random) => {
      const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
      const rows = villages.map((village) => [
        village,
        one(random, people),
        ...months.map(() => whole(random, 10, 400)),
      ]);
      const total = months.map((_, at) => rows.reduce((sum, row) => sum + Number(row[at + 2]), 0));
      return [
        csv(
          'honey',
          ['Village', 'Keeper', ...months],
          [...rows, ['Total', '', ...total], ['Figures in kg, checked by Ada']],
        ),
      ];
    },
    {
      ...none,
      sheets: {
        honey: {
          types: typed({
            'text|option': ['Village', 'Keeper'],
            number: ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'],
          }),
          key: ['Village'],
          periods: ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'],
          leftOut: [8, 9],
        },
      },
    },
  ),
  made(
    'orders with their lines in one sheet',
    'practice',
    (random) => {
      const customers = rowsOf(
        40,
        (at) => [`C-${two(at + 1)}`, `${one(random, people)} ${at}`, one(random, villages)] as const,
      );
      const products = rowsOf(
        25,
        (at) =>
          [
            `SKU${100 + at * 3}`,
            `Jar of ${one(random, ['clover', 'lime', 'heather'])} ${at}`,
            one(random, ['Small', 'Large']),
          ] as const,
      );
      const orders = rowsOf(260, (at) => ({
        no: `2025-${1000 + at}`,
        customer: one(random, customers),
        on: `2025-${two(1 + (at % 12))}-${two(1 + (at % 28))}`,
      }));
      return [
        csv(
          'order lines',
          [
            'Order',
            'Ordered',
            'Customer code',
            'Customer',
            'Village',
            'Article',
            'Article name',
            'Size',
            'Quantity',
            'Price',
          ],
          rowsOf(600, (at) => {
            const { no, customer, on } = orders[at % orders.length] as (typeof orders)[number];
            const product = one(random, products);
            const name = random() < 0.008 ? customer[1].toUpperCase() : customer[1];
            return [
              no,
              on,
              customer[0],
              name,
              customer[2],
              ...product,
              whole(random, 1, 12),
              `${whole(random, 3, 9)}.${whole(random, 10, 99)}`,
            ];
          }),
        ),
      ];
    },
    {
      sheets: {
        'order lines': {
          types: typed({
            text: ['Order', 'Customer code', 'Customer', 'Article', 'Article name'],
            'text|option': ['Village'],
            option: ['Size'],
            date: ['Ordered'],
            number: ['Quantity'],
            'number|money': ['Price'],
          }),
          key: null,
        },
      },
      links: [],
      things: [
        { sheet: 'order lines', by: ['Order'], with: ['Ordered', 'Customer code'], also: ['Customer', 'Village'] },
        { sheet: 'order lines', by: ['Customer code', 'Customer'], with: ['Village'] },
        { sheet: 'order lines', by: ['Article', 'Article name'], with: ['Size'] },
      ],
    },
  ),
  made(
    'words around yes and no',
    'measure',
    (random) => [
      csv(
        'visits',
        ['Visit', 'Seen', 'Paid', 'Wishes to come again', 'Member', 'Rain'],
        rowsOf(150, (at) => [
          `V${1000 + at}`,
          one(random, ['ja', 'nein']),
          one(random, ['Y', 'N', 'y']),
          one(random, ['yes', 'no', 'maybe']),
          one(random, ['0', '1']),
          one(random, ['x', '']),
        ]),
      ),
    ],
    {
      ...none,
      sheets: {
        visits: {
          types: typed({
            text: ['Visit'],
            yesNo: ['Seen', 'Paid', 'Member', 'Rain'],
            option: ['Wishes to come again'],
          }),
          key: ['Visit'],
        },
      },
    },
  ),
  made(
    'lists in cells that name records of another sheet',
    'practice',
    (random) => {
      const plants = rowsOf(45, (at) => `P${two(at + 1)}`);
      return [
        csv(
          'plants',
          ['code', 'plant', 'flowers'],
          plants.map((code, at) => [
            code,
            `Plant ${String.fromCharCode(65 + (at % 26))}${at}`,
            one(random, ['April', 'May', 'June']),
          ]),
        ),
        csv(
          'meadows',
          ['meadow', 'grows', 'soil'],
          rowsOf(70, (at) => [
            `${one(random, villages)} ${at}`,
            [...new Set(rowsOf(whole(random, 1, 5), () => one(random, plants)))].join(', '),
            one(random, ['chalk', 'clay', 'peat']),
          ]),
        ),
      ];
    },
    {
      sheets: {
        plants: { types: typed({ text: ['code', 'plant'], 'option|text': ['flowers'] }), key: ['code'] },
        meadows: { types: typed({ text: ['meadow'], 'options|text': ['grows'], option: ['soil'] }), key: ['meadow'] },
      },
      links: ['meadows.grows > plants.code'],
      things: [],
    },
  ),
  made(
    'small numbers and short codes that link to nothing',
    'measure',
    (random) => [
      csv(
        'stalls',
        ['stall', 'owner', 'pitch'],
        rowsOf(90, (at) => [
          at + 1,
          `${one(random, people)} ${at}`,
          `${one(random, ['A', 'B', 'C'])}${one(random, ['A', 'B', 'C', 'D'])}`,
        ]),
      ),
      csv(
        'lands',
        ['land', 'name'],
        rowsOf(220, (at) => [
          `${String.fromCharCode(65 + (at % 20))}${String.fromCharCode(65 + Math.floor(at / 20))}`,
          `Land ${at}`,
        ]),
      ),
      csv(
        'reviews',
        ['date', 'stars', 'guests', 'remark'],
        rowsOf(400, (at) => [
          `2025-${two(1 + (at % 12))}-${two(1 + (at % 28))}`,
          whole(random, 1, 5),
          whole(random, 1, 12),
          `${one(random, ['good', 'fair', 'poor'])} day ${at}`,
        ]),
      ),
    ],
    {
      ...none,
      sheets: {
        stalls: {
          types: typed({ 'text|number': ['stall'], text: ['owner'], 'option|text': ['pitch'] }),
          key: ['stall'],
        },
        lands: { types: typed({ text: ['land', 'name'] }), key: ['land'] },
        reviews: {
          types: typed({ date: ['date'], 'number|option': ['stars', 'guests'], text: ['remark'] }),
          key: null,
          keyIsOpen: true,
        },
      },
    },
  ),
  made(
    'moments and days in many writings',
    'measure',
    (random) => [
      csv(
        'readings',
        ['at', 'day', 'planted', 'checked', 'value'],
        rowsOf(180, () => [
          `20${two(whole(random, 1, 25))}/${two(whole(random, 1, 12))}/${two(whole(random, 1, 28))} ${two(whole(random, 0, 23))}:${two(whole(random, 0, 59))}`,
          `20${whole(random, 10, 26)}${two(whole(random, 1, 12))}${two(whole(random, 1, 28))}`,
          `${one(random, ['Jan', 'Jun', 'Sep', 'Dec'])} ${whole(random, 1, 28)} ${whole(random, 1990, 2025)}`,
          `${whole(random, 1, 28)} ${one(random, ['Mar', 'Aug', 'Nov'])} 2025`,
          (random() * 30 - 10).toFixed(1),
        ]),
      ),
    ],
    {
      ...none,
      sheets: {
        readings: {
          types: typed({ dateTime: ['at'], date: ['day', 'planted', 'checked'], number: ['value'] }),
          key: null,
          keyIsOpen: true,
        },
      },
    },
  ),
  made(
    'places within provinces within regions',
    'measure',
    (random) => {
      const regions = rowsOf(6, (at) => [two(at + 1), `Region ${'NESWMU'[at]}`] as const);
      const provinces = rowsOf(
        30,
        (at) => [String(101 + at), `Province ${at + 1}`, regions[at % 6] as (typeof regions)[number]] as const,
      );
      return [
        csv(
          'places',
          ['place_code', 'place', 'province_code', 'province', 'region_code', 'region', 'inhabitants'],
          rowsOf(900, (at) => {
            const [code, province, [regionCode, region]] = provinces[at % 30] as (typeof provinces)[number];
            return [
              `${code}${String(at).padStart(4, '0')}`,
              `Place ${at}`,
              code,
              province,
              regionCode,
              region,
              whole(random, 80, 90_000),
            ];
          }),
        ),
      ];
    },
    {
      sheets: {
        places: {
          types: typed({
            text: ['place_code', 'place', 'province'],
            'text|option': ['province_code', 'region_code', 'region'],
            number: ['inhabitants'],
          }),
          key: ['place_code', 'place'],
        },
      },
      links: [],
      things: [
        { sheet: 'places', by: ['province_code', 'province'], with: ['region_code'], also: ['region'] },
        { sheet: 'places', by: ['region_code', 'region'], with: [] },
      ],
    },
  ),
  made(
    'statistics of countries by year, with blanks',
    'measure',
    (random) => {
      const years = rowsOf(31, (at) => String(1990 + at));
      const lands = rowsOf(24, (at) => [`Land ${'ABCDEFGHIJKLMNOPQRSTUVWX'[at]}`, `L${String.fromCharCode(65 + at)}X`]);
      const measures = [
        ['Inhabitants, total', 'POP.TOT'],
        ['Area of woods (km2)', 'WOD.KM2'],
        ['Fish caught (t)', 'FSH.TON'],
      ];
      return [
        csv(
          'statistics',
          ['Country Name', 'Country Code', 'Indicator Name', 'Indicator Code', ...years],
          lands.flatMap((land) =>
            measures.map((measure) => [
              ...land,
              ...measure,
              ...years.map(() => (random() < 0.2 ? '' : (random() * 10 ** whole(random, 2, 7)).toFixed(1))),
            ]),
          ),
        ),
      ];
    },
    {
      sheets: {
        statistics: {
          types: typed({
            'text|option': ['Country Name', 'Country Code', 'Indicator Name', 'Indicator Code'],
            number: rowsOf(31, (at) => String(1990 + at)),
          }),
          key: null,
          periods: rowsOf(31, (at) => String(1990 + at)),
        },
      },
      links: [],
      things: [
        { sheet: 'statistics', by: ['Country Code', 'Country Name'], with: [] },
        { sheet: 'statistics', by: ['Indicator Code', 'Indicator Name'], with: [] },
      ],
    },
  ),
  made(
    'two measures by quarter, with their sum',
    'measure',
    (random) => {
      const quarters = rowsOf(6, (at) => `Q${1 + (at % 4)} ${2024 + Math.floor(at / 4)}`);
      return [
        csv(
          'sales',
          ['Shop', 'Town', ...quarters.flatMap((quarter) => [`Jars ${quarter}`, `Takings ${quarter}`])],
          rowsOf(40, (at) => [
            `Shop ${at + 1}`,
            one(random, villages),
            ...quarters.flatMap(() => [whole(random, 0, 300), `${whole(random, 100, 9_000)}.${whole(random, 10, 99)}`]),
          ]),
          ';',
        ),
      ];
    },
    {
      ...none,
      sheets: {
        sales: {
          types: typed({ 'text|option': ['Shop', 'Town'] }),
          key: null,
          periods: rowsOf(6, (at) => `Q${1 + (at % 4)} ${2024 + Math.floor(at / 4)}`).flatMap((quarter) => [
            `Jars ${quarter}`,
            `Takings ${quarter}`,
          ]),
        },
      },
      alsoThings: [{ sheet: 'sales', by: ['Shop'], with: ['Town'] }],
    },
  ),
  made(
    'a form of weights with two tables and a row of units',
    'measure',
    (random) => {
      const keepers = rowsOf(9, (at) => [`K-${two(at + 1)}`, one(random, people), `202${at % 6}-0${1 + at}-11`]);
      const hives = rowsOf(30, (at) => [
        `H${two(at + 1)}`,
        keepers[at % 9]?.[0] ?? '',
        (random() * 40).toFixed(1),
        (15 + random() * 20).toFixed(1),
      ]);
      return [
        csv(
          'weighing',
          ['Hives', '', '', ''],
          [
            ['Hive', 'Keeper', 'Weight', 'Warmth'],
            ['', '', 'kg', '°C'],
            ...hives,
            ['', '', '', ''],
            ['Keepers', '', '', ''],
            ['Code', 'Name', 'Since', ''],
            ...keepers,
          ],
        ),
      ];
    },
    {
      sheets: {
        Hives: {
          types: typed({ text: ['Hive'], 'text|option': ['Keeper'], number: ['Weight kg', 'Warmth °C'] }),
          key: ['Hive'],
        },
        Keepers: { types: typed({ text: ['Code'], 'text|option': ['Name'], date: ['Since'] }), key: ['Code'] },
      },
      links: ['Hives.Keeper > Keepers.Code'],
      things: [],
    },
  ),
  made(
    'who is on duty, by day of the week',
    'measure',
    (random) => [
      csv(
        'duty',
        ['Week', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Note May'],
        rowsOf(52, (at) => [
          `2025-W${two(at + 1)}`,
          ...rowsOf(5, () => one(random, people)),
          at % 9 === 0 ? 'swap' : '',
        ]),
      ),
    ],
    {
      ...none,
      sheets: {
        duty: {
          types: typed({ text: ['Week'], 'text|option': ['Mon', 'Tue', 'Wed', 'Thu', 'Fri'] }),
          key: ['Week'],
        },
      },
    },
  ),
  made(
    'seats of districts and deputies of staff, by codes under other names',
    'practice',
    (random) => {
      const codes = [...new Set(rowsOf(400, () => String(whole(random, 1001, 9899)).padStart(5, '0')))];
      const town = () => one(random, codes);
      const badge = (at: number) => `B-${String(at).padStart(3, '0')}`;
      return [
        csv(
          'towns',
          ['code', 'name', 'people'],
          codes.map((code, at) => [code, `${villages[at % villages.length]} ${at}`, whole(random, 90, 9000)]),
        ),
        csv(
          'districts',
          ['no', 'name', 'seat', 'area km2'],
          rowsOf(24, (at) => [at + 1, `district ${at}`, codes[at * 7], whole(random, 20, 900)]),
        ),
        csv(
          'staff',
          ['badge', 'name', 'deputy', 'born in', 'district', 'size'],
          rowsOf(80, (at) => [
            badge(at + 1),
            `${one(random, people)} ${at}`,
            at % 4 === 0 ? '' : badge(whole(random, 1, 80)),
            town(),
            whole(random, 1, 24),
            whole(random, 36, 47),
          ]),
        ),
        csv(
          'trips',
          ['trip', 'driver', 'start', 'end', 'km', 'seats'],
          rowsOf(300, (at) => [
            at + 1,
            badge(whole(random, 1, 80)),
            town(),
            town(),
            whole(random, 3, 90),
            whole(random, 2, 60),
          ]),
        ),
      ];
    },
    {
      sheets: {
        towns: { types: typed({ text: ['code', 'name'], number: ['people'] }), key: ['code', 'name'] },
        districts: { types: typed({ text: ['name'], number: ['area km2'] }), key: ['no', 'name', 'seat'] },
        staff: { types: typed({ text: ['badge', 'name'], number: ['size'] }), key: ['badge', 'name'] },
        trips: { types: typed({ number: ['km', 'seats'] }), key: ['trip'] },
      },
      links: [
        'districts.seat > towns.code',
        'staff.deputy > staff.badge',
        'staff.born in > towns.code',
        'staff.district > districts.no',
        'trips.driver > staff.badge',
        'trips.start > towns.code',
        'trips.end > towns.code',
      ],
      things: [],
    },
  ),
  made(
    'codes of two signs in lists that have nothing to do with each other',
    'practice',
    (random) => {
      const letters = 'abcdefghijklmnopqrstuvwxyz';
      const all = [...letters].flatMap((a) => [...letters].map((b) => a + b));
      const some = (count: number) => {
        const picked = new Set<string>();
        while (picked.size < count) picked.add(one(random, all));
        return [...picked];
      };
      const lands = some(240);
      // Words of a trade are abbreviated as lands are, and many by the same letters.
      const tongues = [...lands.slice(0, 40), ...some(8).filter((code) => !lands.includes(code))];
      const ways = lands.slice(60, 66);
      const areas = rowsOf(14, (at) => two(11 + at * 5));
      const valleys = rowsOf(90, (at) => two(at + 1));
      return [
        csv(
          'lands',
          ['code', 'name', 'people'],
          lands.map((code, at) => [code, `land ${at}`, whole(random, 9, 9999)]),
        ),
        csv(
          'tongues',
          ['code', 'name', 'script'],
          tongues.map((code, at) => [code, `tongue ${at}`, `script ${at % 7}`]),
        ),
        csv(
          'areas',
          ['code', 'name', 'seat'],
          areas.map((code, at) => [code, `area ${at}`, `town ${at}`]),
        ),
        csv(
          'valleys',
          ['code', 'name', 'area'],
          valleys.map((code, at) => [code, `valley ${at}`, one(random, areas)]),
        ),
        csv(
          'letters',
          ['no', 'to land', 'tongue', 'way', 'valley', 'grams'],
          rowsOf(260, (at) => [
            1000 + at,
            one(random, lands),
            one(random, tongues),
            one(random, ways),
            one(random, valleys),
            whole(random, 10, 99),
          ]),
        ),
      ];
    },
    {
      sheets: {
        lands: { types: typed({ text: ['code', 'name'], number: ['people'] }), key: ['code', 'name'] },
        tongues: { types: typed({ text: ['code', 'name'], 'text|option': ['script'] }), key: ['code', 'name'] },
        areas: { types: typed({ text: ['code', 'name', 'seat'] }), key: ['code', 'name', 'seat'] },
        valleys: { types: typed({ text: ['code', 'name'] }), key: ['code', 'name'] },
        letters: { types: typed({ 'option|text': ['way'], number: ['grams'] }), key: ['no'] },
      },
      links: [
        'valleys.area > areas.code',
        'letters.to land > lands.code',
        'letters.tongue > tongues.code',
        'letters.valley > valleys.code',
      ],
      things: [],
    },
  ),
];
