import { expect, test } from 'vitest';
import type { Refused } from '../../api';
import { clashOf, entryBody } from './sending';

const clash = (fields: { field: string; theirs: unknown }[]): Refused => ({
  status: 409,
  message: 'Somebody else …',
  version: 4,
  fields,
});

test.each<[string, Refused, Record<string, unknown>, string[] | null]>([
  ['a field that both changed', clash([{ field: 'a', theirs: 'x' }]), { a: 'was' }, ['a']],
  ['fields of which others changed none', clash([{ field: 'a', theirs: 'was' }]), { a: 'was' }, []],
  ['a blank that stayed blank', clash([{ field: 'a', theirs: null }]), {}, []],
  [
    'a link that was pointed elsewhere',
    clash([{ field: 'a', theirs: { id: 2, title: 'H-2' } }]),
    { a: { id: 1, title: 'H-1' } },
    ['a'],
  ],
  ['any other refusal', { status: 422, message: '' }, {}, null],
])('%s', (_, refused, start, fields) =>
  expect(clashOf(refused, start)?.problems.map(({ field }) => field) ?? null).toEqual(fields),
);

test('says what others wrote', () =>
  expect(clashOf(clash([{ field: 'a', theirs: { id: 2, title: 'H-2' } }]), {})).toMatchObject({
    version: 4,
    problems: [{ message: 'Somebody else wrote “H-2” meanwhile.' }],
  }));

test('an entry goes as JSON, and as parts once a file goes along', () => {
  expect(entryBody({ a: 1, b: null })).toEqual({ values: { a: 1, b: null } });
  const file = new File(['x'], 'x.png');
  const body = entryBody({ a: 1, picture: [file] });
  expect(body instanceof FormData && [...body.keys()]).toEqual(['values', 'picture']);
  expect(body instanceof FormData && body.get('values')).toBe('{"a":1}');
});
