import { expect, test } from 'vitest';
import { addressState, endOfDay, type AddressOut } from './addressWords';

const open: AddressOut = {
  id: 1,
  path: '/f/x',
  label: 'board',
  expiresAt: null,
  most: null,
  mostHourly: 60,
  closed: false,
  entries: 3,
};
const now = Date.parse('2026-05-16T12:00:00Z');

test.each<[Partial<AddressOut>, boolean, RegExp]>([
  [{}, false, /^takes entries 60 an hour from one place$/],
  [{ most: 10 }, false, /7 of 10 entries left/],
  [{ most: 3 }, true, /full: 3 of 3/],
  [{ expiresAt: '2026-05-17T00:00:00Z' }, false, /until .*2026/],
  [{ expiresAt: '2026-05-16T12:00:00Z' }, true, /^ended on/],
  [{ closed: true, most: 10 }, true, /^closed$/],
])('%o', (set, ended, words) => {
  const state = addressState({ ...open, ...set }, now);
  expect(state.ended).toBe(ended);
  expect(state.words).toMatch(words);
});

test('a day ends with its last second', () =>
  expect(new Date(endOfDay('2026-05-16')).getTime() - new Date('2026-05-16T00:00:00').getTime()).toBe(86_399_000));
