import { describe, expect, test } from 'vitest';
import { duplicatesIn, type Compared, type DuplicateGroup, type Likeness } from './duplicates';

function groupsOf(
  records: readonly Compared[],
  how: Likeness,
  never?: (a: number, b: number) => boolean,
): DuplicateGroup[] {
  const work = duplicatesIn(records, how, never);
  for (let step = work.next(); ; step = work.next()) if (step.done) return step.value;
}
const records = (...texts: (string | null)[][]): Compared[] => texts.map((one, at) => ({ id: at + 1, texts: one }));
const pairs = (groups: readonly DuplicateGroup[]) => groups.map(({ records: ids }) => ids);

test.each<[Likeness, number[][]]>([
  ['exact', [[1, 6]]],
  ['cleaned', [[1, 2, 3, 6]]],
])('%s', (how, expected) => {
  const all = records(
    ['Ida Vale', 'Low'],
    ['ida  VALE', 'low'],
    ['Vale, Ida', 'Löw'],
    ['Ida Vale', 'High'],
    [null, null],
    ['Ida Vale', 'Low'],
    [' ', null],
  );
  expect(pairs(groupsOf(all, how))).toEqual(expected);
});

test('what was said to be different stays apart, whatever it is written like', () => {
  const all = records(['Ida'], ['Ida'], ['Ida']);
  const never = (a: number, b: number) => Math.min(a, b) === 1 && Math.max(a, b) === 2;
  expect(pairs(groupsOf(all, 'exact', never))).toEqual([[1, 3]]);
  expect(
    pairs(groupsOf([...records(['Ida Vale'], ['Ida Vael']), { id: 3, texts: ['Tom Grey'] }], 'near', never)),
  ).toEqual([]);
});

describe('near', () => {
  /** A small generator of the same numbers each time (Numerical Recipes). */
  function random(seed: number): () => number {
    let state = seed;
    return () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
  }
  const parts = [
    'al',
    'der',
    'fold',
    'mar',
    'ten',
    'bri',
    'ow',
    'ham',
    'lin',
    'ea',
    'tor',
    'ben',
    'wick',
    'sel',
    'kin',
    'ost',
  ];
  const word = (next: () => number, n: number) =>
    Array.from({ length: n }, () => parts[Math.floor(next() * parts.length)]).join('');
  function mistyped(text: string, next: () => number): string {
    const at = 1 + Math.floor(next() * (text.length - 2));
    const kinds = [
      text.slice(0, at) + text.slice(at + 1),
      text.slice(0, at) + (text[at + 1] ?? '') + (text[at] ?? '') + text.slice(at + 2),
      text.slice(0, at) + 'aeioun'[Math.floor(next() * 6)] + text.slice(at + 1),
      text.toUpperCase(),
      text.split(' ').reverse().join(', '),
    ];
    return kinds[Math.floor(next() * kinds.length)] ?? text;
  }
  /** People with a name, a village that many share, and a number that some have; every tenth stands twice. */
  function people(count: number, twice: number, seed: number) {
    const next = random(seed);
    const villages = Array.from({ length: 12 }, () => word(next, 3));
    const all: Compared[] = Array.from({ length: count }, (_, id) => ({
      id,
      texts: [
        `${word(next, 2)} ${word(next, 3)}`,
        villages[Math.floor(next() * villages.length)] ?? null,
        next() < 0.3 ? null : String(1e7 + Math.floor(next() * 8e7)),
      ],
    }));
    const planted = new Set<string>();
    for (let n = 0; n < twice; n++) {
      const { id, texts } = all[n * Math.floor(count / twice)] ?? { id: 0, texts: [] };
      all.push({
        id: count + n,
        texts: [mistyped(texts[0] ?? '', next), texts[1] ?? null, next() < 0.4 ? null : (texts[2] ?? null)],
      });
      planted.add(`${id} ${count + n}`);
    }
    return { all, planted };
  }

  test.each([
    [59, 3, 1],
    [400, 40, 2],
    [3000, 300, 3],
  ])('of %i people with %i entered twice nearly all are found, and little else', (count, twice, seed) => {
    const { all, planted } = people(count, twice, seed);
    const found = groupsOf(all, 'near').flatMap(({ records: ids }) =>
      ids.flatMap((a, at) => ids.slice(at + 1).map((b) => `${a} ${b}`)),
    );
    const right = found.filter((pair) => planted.has(pair));
    expect(right.length).toBeGreaterThanOrEqual(planted.size * 0.9);
    expect(right.length).toBeGreaterThanOrEqual(found.length * 0.9);
  });
});
