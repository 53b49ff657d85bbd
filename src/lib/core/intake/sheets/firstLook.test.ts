import { expect, test } from 'vitest';
import { firstLook } from './firstLook';

const hives = [['number', 'place'], ...Array.from({ length: 20 }, (_, i) => [`H-${i + 1}`, `place ${i % 3}`])];
const visits = [
  ['Visits of last season'],
  ['day', 'hive', 'keeper_code', 'keeper', 'village', 'frames'],
  ...Array.from({ length: 60 }, (_, i) => [
    `2026-05-${String(1 + (i % 28)).padStart(2, '0')}`,
    `H-${1 + (i % 20)}`,
    `K-00${i % 6}`,
    `keeper ${i % 6}`,
    `village ${(i % 6) % 3}`,
    String(i % 11),
  ]),
];

test('the first rows of files that come together say names, types, keys, links and splits', () => {
  const [first, second] = firstLook([
    { name: 'hives.csv', rows: hives },
    { name: 'visits.csv', rows: visits },
  ]);
  expect(first).toMatchObject({
    name: 'hives',
    names: ['number', 'place'],
    types: ['text', 'option'],
    found: ['number tells the rows apart'],
  });
  expect(second?.names).toEqual(['day', 'hive', 'keeper_code', 'keeper', 'village', 'frames']);
  expect(second?.types[0]).toBe('date');
  expect(second?.rows).toHaveLength(60);
  expect(second?.found).toEqual(['hive names hives by number', 'keeper_code decides keeper, village']);
});

test('nothing but a header, and nothing at all, are looked at without a fault', () => {
  expect(firstLook([{ name: 'empty.csv', rows: [] }])).toMatchObject([{ names: [], rows: [], found: [] }]);
  expect(firstLook([{ name: 'header.csv', rows: [['a', 'b']] }])[0]?.rows.length).toBeLessThanOrEqual(1);
});
