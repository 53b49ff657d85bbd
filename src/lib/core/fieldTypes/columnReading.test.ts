import { describe, expect, test } from 'vitest';
import { readingOfColumn } from './columnReading';
import type { EnteredType } from './registry';

const number: EnteredType = { kind: 'number', digits: null };
const day: EnteredType = { kind: 'date' };

describe('how a column is read', () => {
  test.each<[string, EnteredType, string[], object, boolean]>([
    ['points', number, ['1.5', '20.25'], { decimal: '.' }, false],
    ['commas', number, ['1,5', '20,25', '3'], { decimal: ',' }, false],
    ['whole numbers either way, which are the same', number, ['1', '20'], { decimal: '.' }, false],
    ['years first', day, ['2026-03-04', '2026-12-31'], { dateOrder: 'ymd' }, false],
    ['days first, as one cannot be a month', day, ['04/03/2026', '31/12/2026'], { dateOrder: 'dmy' }, false],
    ['months first, as one cannot be a month', day, ['04/03/2026', '12/31/2026'], { dateOrder: 'mdy' }, false],
    ['either order of day and month', day, ['04/03/2026', '05/06/2026'], { dateOrder: 'dmy' }, true],
    ['the same day either way', day, ['04/04/2026'], { dateOrder: 'dmy' }, false],
    ['nothing', day, ['', ' '], { dateOrder: 'ymd' }, false],
    ['texts', { kind: 'text' }, ['1,5', '04/03/2026'], { decimal: '.', dateOrder: 'ymd' }, false],
    ['mostly commas', number, ['1,5', '2,5', 'x'], { decimal: ',' }, false],
  ])('%s', (_, type, texts, reading, either) => {
    expect(readingOfColumn(texts, type)).toMatchObject({ reading, either });
  });
});
