import { describe, expect, test } from 'vitest';
import { SeenOnce } from './seenOnce';

describe('what was met once is proved without being kept', () => {
  test('300,000 different texts, and then one again', () => {
    const seen = new SeenOnce();
    for (let i = 0; i < 300_000; i++) if (!seen.add(`H-${i}`)) throw new Error(`H-${i} was taken for met`);
    expect(seen.add('H-17')).toBe(false);
    expect(seen.add('H-299999')).toBe(false);
    expect(seen.add('H-300000')).toBe(true);
  });

  test.each([[['a', 'b', 'ab', 'ba', '', ' ']], [['1', '01', '001', '10', '100']], [['ä', 'a\u0308', 'A']]])(
    '%j are all different',
    (texts) => {
      const seen = new SeenOnce();
      expect(texts.map((text) => seen.add(text))).toEqual(texts.map(() => true));
      expect(texts.map((text) => seen.add(text))).toEqual(texts.map(() => false));
    },
  );
});
