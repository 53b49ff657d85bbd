import { describe, expect, test } from 'vitest';
import { holdsOnlyText, parseJson } from './json';

describe('numbers of a body keep their digits', () => {
  test.each<[string, unknown]>([
    ['12345678901234567890.123456789', '12345678901234567890.123456789'],
    ['9007199254740993', '9007199254740993'],
    ['-0.1000000000000000055', '-0.1000000000000000055'],
    ['1e400', '1e400'],
    ['1e-400', '1e-400'],
    ['0e999', 0],
    ['0.1', 0.1],
    ['-2.50', -2.5],
    ['1e3', 1000],
    ['1000000000000000000000', 1e21],
  ])('%s', (written, read) => {
    expect(parseJson(`{"kg": ${written}, "list": [${written}]}`)).toEqual({ kg: read, list: [read] });
  });

  test('texts that look like numbers, with quotation marks and in keys, stay as they are', () => {
    const value = {
      'n 12345678901234567890': 'was "12345678901234567890" \\',
      list: ['1e999', '\\"9007199254740993'],
      none: null,
      is: true,
    };
    expect(parseJson(JSON.stringify(value))).toEqual(value);
  });

  test.each(['{', '{"a": 12345678901234567890', '[01234567890123456789]', '12345678901234567890 x', "{'a': 1}"])(
    '%s is no JSON',
    (text) => {
      expect(() => parseJson(text)).toThrow(SyntaxError);
    },
  );
});

describe('texts that can be kept', () => {
  test.each<[string, boolean]>([
    ['{"a": "plain, \\u00e9, \\ud83d\\udc1d"}', true],
    ['{"a": "\\u0000"}', false],
    ['{"a": ["x", {"b": "\\ud83d"}]}', false],
    ['{"\\udc1d": 1}', false],
    ['{"a": "\\\\u0000 as it is written"}', true],
    ['no JSON', true],
  ])('%s: %s', (text, kept) => {
    expect(holdsOnlyText(text)).toBe(kept);
  });
});
