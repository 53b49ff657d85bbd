import { expect, test } from 'vitest';
import { stepOf } from './spread';

test.each([
  [0, 100, 10],
  [0, 120, 10],
  [0, 121, 20],
  [20, 47.6, 5],
  [0, 0.9, 0.1],
  [-5, 5, 1],
  [0, 8_000_000, 1_000_000],
  [3, 3, 1],
  [Number.NaN, Number.NaN, 1],
])('from %d to %d values are put together in steps of %d', (least, greatest, step) => {
  expect(stepOf(least, greatest)).toBe(step);
});
