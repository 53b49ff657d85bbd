import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { jaroWinkler } from './jaroWinkler';
import { NearMatches } from './nearMatches';

/** From Winkler’s own tables, to three decimals. */
test.each([
  ['MARTHA', 'MARHTA', 0.961],
  ['DWAYNE', 'DUANE', 0.84],
  ['DIXON', 'DICKSONX', 0.813],
  ['SHACKLEFORD', 'SHACKELFORD', 0.982],
  ['NICHLESON', 'NICHULSON', 0.956],
  ['JONES', 'JOHNSON', 0.832],
  ['ABROMS', 'ABRAMS', 0.922],
  ['same', 'same', 1],
  ['', 'some', 0],
  ['abc', 'xyz', 0],
])('%s and %s', (a, b, expected) => expect(jaroWinkler(a, b)).toBeCloseTo(expected, 3));

test('is the same both ways, and between 0 and 1', () =>
  fc.assert(
    fc.property(fc.string({ maxLength: 12 }), fc.string({ maxLength: 12 }), (a, b) => {
      const score = jaroWinkler(a, b);
      expect(score).toBeGreaterThanOrEqual(0);
      expect(score).toBeLessThanOrEqual(1);
    }),
  ));

describe('what a text may mean', () => {
  const targets = [
    'H-0042',
    'H-0043',
    'H-0007',
    'Ida Vale',
    'Tom Orrin',
    'Märta Sowerby',
    'Low Meadow',
    'Long Acre',
    'Heather Bank',
    'K-014',
  ];
  const near = new NearMatches(targets);
  test.each<[string, string[]]>([
    ['h-0042', ['H-0042']],
    ['H 42', ['H-0042']],
    ['H42', ['H-0042']],
    ['H-0044', []],
    ['ida  vale', ['Ida Vale']],
    ['Vale, Ida', ['Ida Vale']],
    ['Ida Vael', ['Ida Vale']],
    ['Marta Sowerby', ['Märta Sowerby']],
    ['Low Medow', ['Low Meadow']],
    ['Heatherbank', ['Heather Bank']],
    ['K014', ['K-014']],
    ['someone else', []],
    ['–', []],
    ['', []],
  ])('%j', (text, expected) => expect(near.of(text).map(({ target }) => targets[target])).toEqual(expected));

  test('a text with one sign lost is found again among many', () => {
    const syllables = [
      'al',
      'der',
      'bro',
      'ck',
      'clo',
      'ver',
      'dun',
      'mere',
      'fell',
      'gate',
      'ho',
      'llin',
      'kir',
      'ney',
      'low',
      'ther',
      'mill',
      'oak',
      'shaw',
      'rigg',
      'sow',
      'by',
    ];
    let seed = 7;
    const pick = () => syllables[(seed = (seed * 48_271) % 2_147_483_647) % syllables.length] ?? '';
    const words = [...new Set(Array.from({ length: 400 }, () => Array.from({ length: 5 }, pick).join('')))];
    const many = new NearMatches(words);
    fc.assert(
      fc.property(fc.nat(words.length - 1), fc.nat(30), (index, at) => {
        const wanted = words[index % words.length] ?? '';
        const place = 1 + (at % (wanted.length - 2));
        const found = many.of(wanted.slice(0, place) + wanted.slice(place + 1), 12).map(({ target }) => words[target]);
        expect(found).toContain(wanted);
      }),
    );
  });
});
