import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { tableNamed } from '../model/model';
import { quoteIdentifier, quoteText } from '../base/sql';
import { decodeCursor, encodeCursor, parseSort } from './query';

const model = alderfold();
const hives = tableNamed(model, 'hives')!;

describe('sorting as programs write it', () => {
  test.each([
    ['', []],
    ['weight', [['f_weight', false]]],
    [
      '-weight,number',
      [
        ['f_weight', true],
        ['f_number', false],
      ],
    ],
    ['f_weight', [['f_weight', false]]],
  ])('“%s”', (written, expected) => {
    const sort = parseSort(model, hives, written);
    expect(sort.ok && sort.value.map(({ field, descending }) => [field, descending])).toEqual(expected);
  });

  test.each(['wieght', 'inspections', '--weight', 'weight desc'])('“%s” is refused', (written) => {
    const sort = parseSort(model, hives, written);
    expect(sort.ok ? '' : sort.problem.message).toContain('cannot be sorted by');
  });
});

describe('cursors', () => {
  const value = fc.oneof(fc.string({ unit: 'grapheme' }), fc.boolean(), fc.constant(null), fc.integer());
  test('come back unchanged', () => {
    fc.assert(
      fc.property(fc.array(value, { maxLength: 4 }), fc.integer({ min: 1 }), (values, id) => {
        expect(decodeCursor(encodeCursor({ id, values }))).toEqual({ ok: true, value: { id, values } });
      }),
    );
  });

  test.each(['', 'x', btoa('[]'), btoa('{"id":1}'), btoa('["a"]'), btoa('[1,{}]')])('%s is refused', (written) => {
    expect(decodeCursor(written).ok).toBe(false);
  });
});

test('identifiers and texts are quoted so that nothing gets out', () => {
  expect(quoteIdentifier('a"b; drop table x --')).toBe('"a""b; drop table x --"');
  expect(quoteText("it's \\ fine")).toBe("'it''s \\ fine'");
  expect(() => quoteText('a\0b')).toThrow('NUL');
});
