import { dateOfDayNumber, dayNumber } from '../src/lib/core/fieldTypes/date';
import { randomFrom } from './random';

/** The Alderfold Bee Cooperative: everything here is made up, and the same for the same start. */
export interface World {
  readonly keepers: readonly {
    code: string;
    name: string;
    village: string;
    email: string;
    joined: string;
    mentor: string | null;
  }[];
  readonly apiaries: readonly { name: string; steward: string; village: string; height: number }[];
  readonly hives: readonly {
    number: string;
    apiary: string;
    keeper: string;
    type: string;
    since: string;
    weight: number | null;
  }[];
  readonly inspections: readonly {
    hive: string;
    day: string;
    keeper: string;
    frames: number | null;
    stores: number;
    temper: number | null;
    seen: string;
    notes: string;
  }[];
  readonly reports: readonly { place: string; seen_on: string; size: string; state: string; words: string }[];
}

const first = [
  'Ida',
  'Tom',
  'Wren',
  'Pell',
  'Anselm',
  'Brida',
  'Corin',
  'Dessa',
  'Edlin',
  'Fenna',
  'Garrick',
  'Hesper',
  'Ivo',
  'Jorun',
  'Kester',
  'Linnet',
  'Maren',
  'Nils',
  'Orla',
  'Perrin',
  'Quill',
  'Rosalind',
  'Sefton',
  'Tamsin',
  'Ulla',
  'Verity',
  'Wendel',
  'Ysolde',
  'Zander',
  'Märta',
  'Jürgen',
  'Élise',
];
const last = [
  'Vale',
  'Orrin',
  'Ashlock',
  'Birkett',
  'Copperthwaite',
  'Dunmere',
  'Elderby',
  'Fellgate',
  'Greenhow',
  'Hollin',
  'Inglewood',
  'Kirkbride',
  'Lowther',
  'Millbeck',
  'Nethersole',
  'Oakshaw',
  'Penruddock',
  'Rigg',
  'Sowerby',
  'Thornthwaite',
  'Uldale',
  'Wetheral',
  'Yewdale',
];
const villages = [
  'Alderfold',
  'Brackenrigg',
  'Corby Hollow',
  'Dunmere',
  'Elder Cross',
  'Fellside',
  'Grange-over-Beck',
  'Hollinbank',
];
const apiaryNames = [
  'Low Meadow',
  'Fell Gate',
  'Linden Row',
  'Old Orchard',
  'Heather Bank',
  'Mill Race',
  'Quarry Edge',
  'Chapel Field',
  'South Hollow',
  'Beck Side',
  'High Pasture',
  'Long Acre',
  'Clover End',
  'Willow Holm',
];
const hiveTypes = ['long hive', 'ten-frame', 'six-frame', 'top-bar'];
const notes = [
  'calm on the frames',
  'brood in all stages',
  'fed two litres',
  'new comb drawn',
  'super added',
  'drone brood cut out',
  'queen not found, eggs seen',
  'robbing at the entrance',
  '**swarm cells** on frame 4:\n\n- two opened, both empty\n- one left standing',
  '',
];
const seen = ['queen', 'eggs', 'cups', 'nothing unusual'];

/** The day the demo is told from; the newest visits lie just before it. */
export const demoDay = '2026-05-16';

const shift = (iso: string, days: number) => dateOfDayNumber(dayNumber(iso) + days) ?? iso;

/** Talks that Ida thinks over by herself: title, for whom, day, minutes, state. */
export const talks = [
  ['What a bee does in January', 'the school at Elder Cross', null, 40, 'idea'],
  ['A swarm in your pear tree', 'the fire brigade', '2026-11-12', 60, 'asked'],
  ['Honey under the glass', 'the market at Alderfold', '2026-12-05', 30, 'fixed'],
] as const;

/** The cooperative at its real size: 62 keepers, 14 apiaries, 240 hives, 4,000 inspections and 40 swarm reports. */
export function makeWorld(start = 2026): World {
  const random = randomFrom(start);
  const below = (n: number) => Math.floor(random() * n);
  const pick = <T>(list: readonly T[]): T => list[below(list.length)] as T;
  const keepers = Array.from({ length: 62 }, (_, i) => {
    const name =
      i === 0
        ? 'Ida Vale'
        : i === 1
          ? 'Tom Orrin'
          : `${first[(i * 7) % first.length]} ${last[(i * 5 + Math.floor(i / 23)) % last.length]}`;
    const code = `K-${String(i + 1).padStart(3, '0')}`;
    const email = `${name
      .toLowerCase()
      .normalize('NFKD')
      .replace(/[^a-z ]/g, '')
      .replace(' ', '.')}@alderfold.example`;
    return {
      code,
      name,
      village: pick(villages),
      email,
      joined: shift('2012-03-01', below(5000)),
      mentor: i < 6 ? null : `K-${String(1 + below(Math.min(i, 12))).padStart(3, '0')}`,
    };
  });
  const apiaries = apiaryNames.map((name, i) => ({
    name,
    steward: keepers[i * 3]?.code ?? 'K-001',
    village: pick(villages),
    height: 120 + below(400),
  }));
  const hives = Array.from({ length: 240 }, (_, i) => ({
    number: `H-${String(i + 1).padStart(4, '0')}`,
    apiary: pick(apiaryNames),
    keeper: pick(keepers).code,
    type: pick(hiveTypes),
    since: shift('2019-04-01', below(2500)),
    weight: random() < 0.05 ? null : Math.round((18 + random() * 30) * 10) / 10,
  }));
  const inspections = Array.from({ length: 4000 }, () => {
    const hive = pick(hives);
    const recent = random() < 0.3 ? below(21) : below(420);
    return {
      hive: hive.number,
      day: shift(demoDay, -recent),
      keeper: random() < 0.8 ? hive.keeper : pick(keepers).code,
      frames: random() < 0.04 ? null : below(11),
      stores: below(21) * 5,
      temper: random() < 0.1 ? null : 1 + below(5),
      seen: pick(seen),
      notes: pick(notes),
    };
  });
  const reports = Array.from({ length: 40 }, () => ({
    place: `${pick(['church wall', 'apple tree', 'chimney', 'hedge', 'barn', 'letter box', 'school yard'])}, ${pick(villages)}`,
    seen_on: shift(demoDay, -below(60)),
    size: pick(['fist', 'melon', 'basket']),
    state: pick(['seen', 'taken', 'gone']),
    words: pick(['humming since the morning', 'very calm', 'on a low branch', 'children are curious', '']),
  }));
  return { keepers, apiaries, hives, inspections, reports };
}
