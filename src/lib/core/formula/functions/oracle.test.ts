import * as oracle from '@formulajs/formulajs';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Scalar } from '../../types/expression';
import { functionsCalled } from './table';

/**
 * The OpenFormula functions beside an independent implementation, on generated arguments. Where the two differ, the
 * standard (OASIS ODF 1.3, part 4) decides; what follows from it is left out of the arguments below, with its reason.
 */
const ours = (name: string, args: readonly Scalar[], is: 'number' | 'text' | 'date' | 'boolean' = 'number') => {
  const definition = functionsCalled(name)[0];
  if (!definition) throw new Error(name);
  return args.includes(null) && definition.blanks === 'spreads'
    ? null
    : definition.evaluate(
        args,
        { today: '2026-05-16' },
        args.map(() => ({ is })),
      );
};
const run = <T extends unknown[]>(args: fc.Arbitrary<T>, same: (...args: T) => void) =>
  fc.assert(
    fc.property(args, (values) => same(...values)),
    { numRuns: 300 },
  );

// Letters of one case pair each: the oracle counts UTF-16 units, the standard characters.
const word = fc.string({ unit: fc.constantFrom('a', 'B', 'c', 'Ä', ' ', '-', '1'), maxLength: 8 });
// The oracle's calendar begins in 1900 with the 29 February that year never had.
const dayAt = (n: number) => new Date(Date.UTC(1901, 0, 1) + n * 86_400_000).toISOString().slice(0, 10);
const day = fc.integer({ min: 0, max: 60_000 }).map(dayAt);
const dateOf = (iso: string) => new Date(`${iso}T00:00:00`);
const isoOf = (date: unknown) => {
  const made = date as Date;
  return `${made.getFullYear()}-${String(made.getMonth() + 1).padStart(2, '0')}-${String(made.getDate()).padStart(2, '0')}`;
};
const small = fc.integer({ min: -40, max: 40 });

describe('numbers', () => {
  test.each(['rounddown', 'roundup'] as const)('%s', (name) => {
    const theirs = name === 'rounddown' ? oracle.ROUNDDOWN : oracle.ROUNDUP;
    // Whole numbers to tens and hundreds: of binary fractions the oracle rounds what is not quite there.
    run(fc.tuple(fc.integer({ min: -100_000, max: 100_000 }), fc.integer({ min: -4, max: 0 })), (x, places) => {
      expect(Number(ours(name, [String(x), String(places)]))).toBe(Number(theirs(x, places)) + 0);
    });
  });

  test.each([
    ['sqrt', oracle.SQRT, fc.integer({ min: 0, max: 1_000_000 })],
    ['exp', oracle.EXP, fc.integer({ min: -20, max: 20 })],
    ['ln', oracle.LN, fc.integer({ min: 1, max: 1_000_000 })],
  ] as const)('%s to the digits a binary fraction has', (name, theirs, args) => {
    run(fc.tuple(args), (x) => {
      const expected = Number(theirs(x));
      expect(Math.abs(Number(ours(name, [String(x)])) - expected)).toBeLessThanOrEqual(Math.abs(expected) * 1e-14);
    });
  });

  test('power and log', () => {
    run(fc.tuple(fc.integer({ min: 1, max: 50 }), fc.integer({ min: -6, max: 6 })), (x, y) => {
      const expected = Number(oracle.POWER(x, y));
      expect(Math.abs(Number(ours('power', [String(x), String(y)])) - expected)).toBeLessThanOrEqual(expected * 1e-14);
    });
    // Here the base stands first, as in SQL; OpenFormula puts it behind.
    run(fc.tuple(fc.integer({ min: 2, max: 50 }), fc.integer({ min: 1, max: 100_000 })), (base, x) => {
      expect(Number(ours('log', [String(base), String(x)]))).toBeCloseTo(Number(oracle.LOG(x, base)), 12);
    });
  });
});

describe('texts', () => {
  test('left, right and mid', () => {
    run(fc.tuple(word, fc.integer({ min: 0, max: 10 })), (text, n) => {
      expect(ours('left', [text, String(n)], 'text')).toBe(oracle.LEFT(text, n));
      // The oracle gives the whole text for RIGHT(text; 0); 6.20.19 says the last 0 characters.
      if (n > 0) expect(ours('right', [text, String(n)], 'text')).toBe(oracle.RIGHT(text, n));
    });
    run(fc.tuple(word, fc.integer({ min: 1, max: 10 }), fc.integer({ min: 1, max: 10 })), (text, start, n) => {
      // The oracle refuses the empty text and the length 0, of which the standard's parts are empty.
      if (text !== '') expect(ours('mid', [text, String(start), String(n)], 'text')).toBe(oracle.MID(text, start, n));
    });
  });

  test('find: blank where the standard has an error', () => {
    run(
      fc.tuple(
        fc.string({ unit: fc.constantFrom('a', 'B'), minLength: 1, maxLength: 2 }),
        word,
        fc.integer({ min: 1, max: 4 }),
      ),
      (part, text, start) => {
        const theirs = text === '' ? new Error('nothing to look in') : oracle.FIND(part, text, start);
        expect(ours('find', [part, text, String(start)], 'text')).toBe(theirs instanceof Error ? null : String(theirs));
      },
    );
  });

  test('textjoin and concatenate', () => {
    run(
      fc.tuple(
        fc.constantFrom(', ', '-'),
        fc.array(
          word.filter((text) => text !== ''),
          { minLength: 1, maxLength: 4 },
        ),
      ),
      (between, texts) => {
        expect(ours('textjoin', [between, true, ...texts], 'text')).toBe(oracle.TEXTJOIN(between, true, ...texts));
        expect(ours('concatenate', texts, 'text')).toBe(oracle.CONCATENATE(...texts));
      },
    );
  });

  test('proper', () => {
    run(fc.tuple(fc.string({ unit: fc.constantFrom('a', 'B', 'c', ' '), maxLength: 10 })), (text) => {
      // The oracle refuses the empty text, and begins words behind spaces only; the standard's words are runs of
      // letters.
      if (text !== '') expect(ours('proper', [text], 'text')).toBe(oracle.PROPER(text));
    });
  });

  test('fixed', () => {
    // Ties are left out: a binary fraction is never quite one, and half away from zero is what 6.17.5 says.
    run(
      fc.tuple(fc.integer({ min: -1_000_000, max: 1_000_000 }), fc.integer({ min: 0, max: 3 }), fc.boolean()),
      (x, places, plain) => {
        const definition = functionsCalled('fixed')[0];
        expect(
          definition?.evaluate([String(x), String(places), plain], { today: '' }, [
            { is: 'number' },
            { is: 'number' },
            { is: 'boolean' },
          ]),
        ).toBe(String(oracle.FIXED(x, places, plain)));
      },
    );
  });
});

describe('days', () => {
  test('days, weekday and week', () => {
    run(fc.tuple(day, day), (a, b) => {
      expect(ours('days', [a, b], 'date')).toBe(String(oracle.DAYS(dateOf(a), dateOf(b))));
      for (const from of [1, 2, 3])
        expect(ours('weekday', [a, String(from)], 'date')).toBe(String(oracle.WEEKDAY(dateOf(a), from)));
      expect(ours('isoweeknum', [a], 'date')).toBe(String(oracle.ISOWEEKNUM(dateOf(a))));
    });
  });

  test('working days', () => {
    // The oracle walks day by day, so the two are near each other.
    const near = fc
      .tuple(fc.integer({ min: 0, max: 60_000 }), fc.integer({ min: 0, max: 900 }))
      .map(([n, more]) => [dayAt(n), dayAt(n + more)] as const);
    run(fc.tuple(near), ([a, b]) => {
      // From a later to an earlier day the standard counts backwards (6.10.13); the oracle's sign is its own.
      const [from, to] = a <= b ? [a, b] : [b, a];
      expect(ours('networkdays', [from, to], 'date')).toBe(String(oracle.NETWORKDAYS(dateOf(from), dateOf(to))));
    });
    run(fc.tuple(day, fc.integer({ min: 1, max: 400 })), (a, n) => {
      expect(ours('workday', [a, String(n)], 'date')).toBe(isoOf(oracle.WORKDAY(dateOf(a), n)));
    });
  });

  test('edate and eomonth', () => {
    run(fc.tuple(day, small), (a, n) => {
      expect(ours('edate', [a, String(n)], 'date')).toBe(isoOf(oracle.EDATE(dateOf(a), n)));
      expect(ours('eomonth', [a, String(n)], 'date')).toBe(isoOf(oracle.EOMONTH(dateOf(a), n)));
    });
  });
});
