import { gazetteer } from '../src/lib/core/fieldTypes/gazetteer';
import { dateOfDayNumber, dayNumber } from '../src/lib/core/fieldTypes/date';
import { randomFrom } from './random';
import { demoDay, type World } from './world';

/** What goes on around the hives of one season; as made up, and as much the same each time, as the world itself. */
export interface Season {
  readonly plants: readonly { name: string; flowers_from: string; flowers_to: string }[];
  /** For each apiary by name, the plants in flight. */
  readonly forage: ReadonlyMap<string, readonly string[]>;
  readonly stands: readonly { code: string; apiary: string; shade: string }[];
  /** Mothers come before their daughters. */
  readonly queens: readonly { mark: string; mother: string | null; born_on: string; line: string; temper: number }[];
  readonly miteCounts: readonly {
    hive: string;
    day: string;
    method: string;
    bees_sampled: number;
    mites: number | null;
  }[];
  readonly treatments: readonly { hive: string; product: string; begins: string; ends: string | null }[];
  readonly lots: readonly { number: string; kind: string; price_per_kg: string }[];
  readonly harvests: readonly { hive: string; lot: string; day: string; kg: string; moisture: string }[];
  readonly movements: readonly { lot: string; day: string; kind: string; kg: string }[];
  readonly extractions: readonly { lot: string; day: string; kg: string; extractor: string }[];
  readonly fillings: readonly { lot: string; filled_on: string; jars: number; net_weight: string | null }[];
  readonly marketDays: readonly { day: string; village: string; keeper: string; weather: string; open: string }[];
  /** `day` is the place of the market day in its list. */
  readonly sales: readonly { day: number; lot: string; jar: string; jars: number }[];
}

const plantNames =
  'willow,hazel,blackthorn,dandelion,apple,maple,rape,hawthorn,raspberry,clover,lime,bramble,knapweed,willowherb,heather,ivy'.split(
    ',',
  );
const shift = (iso: string, days: number) => dateOfDayNumber(dayNumber(iso) + days) ?? iso;

export function makeSeason(world: World, start = 515): Season {
  const random = randomFrom(start);
  const below = (n: number) => Math.floor(random() * n);
  const pick = <T>(list: readonly T[]): T => list[below(list.length)] as T;
  const plants = plantNames.map((name, i) => ({
    name,
    flowers_from: shift('2026-03-01', i * 12),
    flowers_to: shift('2026-03-01', i * 12 + 21 + below(20)),
  }));
  const forage = new Map(world.apiaries.map(({ name }) => [name, plantNames.filter(() => random() < 0.3)]));
  const stands = world.apiaries.flatMap(({ name }) => {
    const short = name
      .split(' ')
      .map((word) => word[0])
      .join('');
    return Array.from({ length: 6 }, (_, i) => ({
      code: `${short}-${String(i + 1).padStart(2, '0')}`,
      apiary: name,
      shade: pick(['full sun', 'half', 'shade']),
    }));
  });
  const mark = (i: number) => `Q-${String(i + 1).padStart(3, '0')}`;
  const queens = Array.from({ length: 200 }, (_, i) => ({
    mark: mark(i),
    // Two were entered the wrong way round, each as the other's mother: Health tells of it.
    mother: i === 190 ? mark(191) : i === 191 ? mark(190) : i < 12 ? null : mark(below(Math.min(i, 80))),
    born_on: shift('2023-05-01', Math.floor(i / 4) * 20 + below(20)),
    line: pick(['valley', 'fell', 'market', 'stray']),
    temper: 1 + below(5),
  }));
  const miteCounts = Array.from({ length: 420 }, (_, i) => {
    // A board under the hive catches mites of no counted bees, and some counts wait for their result.
    const bees = i % 140 === 77 ? 0 : 250 + below(120);
    return {
      hive: pick(world.hives).number,
      day: shift(demoDay, -below(200)),
      method: pick(['sugar roll', 'wash', 'board']),
      bees_sampled: bees,
      mites: i % 84 === 40 ? null : Math.floor(bees * random() * random() * 0.06),
    };
  });
  const treatments = Array.from({ length: 140 }, (_, i) => {
    const begins = shift(demoDay, -below(300));
    return {
      hive: pick(world.hives).number,
      product: pick(['formic strips', 'oxalic drip', 'thymol']),
      begins,
      ends: i % 47 === 9 ? null : shift(begins, 5 + below(20)),
    };
  });
  const lots = Array.from({ length: 9 }, (_, i) => ({
    number: `LOT-2026-${String(i + 1).padStart(3, '0')}`,
    kind: pick(['blossom', 'linden', 'heather', 'forest']),
    price_per_kg: (9 + below(60) / 10).toFixed(2),
  }));
  const harvests = Array.from({ length: 260 }, () => ({
    hive: pick(world.hives).number,
    lot: pick(lots).number,
    day: shift(demoDay, -below(280)),
    kg: (3 + random() * 18).toFixed(3),
    moisture: `${(15.5 + random() * 4).toFixed(1)} %`,
  }));
  const movements = lots.flatMap(({ number }) =>
    ['extraction', 'extraction', 'filling', 'sample', 'filling'].map((kind, i) => ({
      lot: number,
      day: shift(demoDay, -90 + i * 14 + below(9)),
      kind,
      kg: (kind === 'extraction' ? 120 + below(80) : kind === 'sample' ? 0.5 : 30 + below(60)).toFixed(3),
    })),
  );
  const marketDays = Array.from({ length: 24 }, (_, i) => ({
    day: shift(demoDay, -i * 7 - 2),
    village: pick(gazetteer).name,
    keeper: pick(world.keepers).code,
    weather: pick(['sun', 'cloud', 'rain', 'wind']),
    open: `${4 + below(4)}:${pick(['00', '30'])}`,
  }));
  const sales = marketDays.flatMap((_, day) =>
    Array.from({ length: 6 + below(6) }, () => ({
      day,
      lot: pick(lots).number,
      jar: pick(['small 125 g', 'middle 250 g', 'large 500 g']),
      jars: 1 + below(24),
    })),
  );
  // The same in the two books of the extraction room, as they are kept by hand.
  const extractions = movements
    .filter(({ kind }) => kind === 'extraction')
    .map(({ lot, day, kg }, i) => ({ lot, day, kg, extractor: i % 3 === 0 ? 'large drum' : 'small drum' }));
  const fillings = movements
    .filter(({ kind }) => kind === 'filling')
    .map(({ lot, day, kg }, i) => ({
      lot,
      filled_on: day,
      jars: Math.round(Number(kg) * 2),
      // One was written down before it was weighed.
      net_weight: i === 7 ? null : kg,
    }));
  return {
    extractions,
    fillings,
    plants,
    forage,
    stands,
    queens,
    miteCounts,
    treatments,
    lots,
    harvests,
    movements,
    marketDays,
    sales,
  };
}
