import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Scalar } from '$core/types/expression';
import { sqlTypeOf } from '$core/formula/compiler';
import { valueTypeOf } from '$core/model/model';
import type { Field, Option } from '$core/types/field';
import { convertValue, conversionWay } from '$core/fieldTypes/conversion';
import { filesValue } from '$core/fieldTypes/files';
import { canonicalNumber, Exact } from '$core/fieldTypes/number';
import { placeValue } from '$core/fieldTypes/place';
import {
  enteredKinds,
  parseValue,
  plainReading,
  printValue,
  type EnteredKind,
  type EnteredType,
  type Reading,
} from '$core/fieldTypes/registry';
import { newId } from '$core/types/identity';
import type { Pool } from '$server/database/pool';
import { fromColumn, toColumn } from '$server/sql/column';
import { conversionSql } from '$server/fieldTypes/conversion';
import { readSql, textSql } from '$server/fieldTypes/registry';
import { type Person } from '$server/access/workspaceAccess';
import { tableName } from '$server/access/workspaceState';
import { changeNow, plainField, plainTable } from './changes';
import { freshDatabase, makePerson } from './database';
import { makePlace, text } from './place';

let pool: Pool;
let drop: () => Promise<void>;
let people: Person[];

beforeAll(async () => {
  ({ pool, drop } = await freshDatabase('matrix'));
  people = await Promise.all(['Ida', 'Tom'].map((name) => makePerson(pool, name)));
});
afterAll(() => drop());

const options: readonly Option[] = [
  { id: 'calm', label: 'Calm', dye: 'moss' },
  { id: 'wild', label: "Wild 'n' loud", dye: 'rust' },
  { id: 'seven', label: '7', dye: 'plum' },
  { id: 'day', label: '2026-05-16', dye: 'weld', retired: true },
];
const file = (name: string, type: string) => ({ file: 'a'.repeat(64), name, size: 12, type });

/** Every kind once or more, with limits that bite, and values that do not like to be converted. */
const kinds: readonly (readonly [EnteredType, readonly Scalar[]])[] = [
  [
    { kind: 'text' },
    [
      '',
      ' ',
      'x',
      '007',
      '12.50',
      '-3',
      '7',
      '12.5 %',
      '12.50 EUR',
      '€ 3',
      '2026-05-16',
      '2026-02-30',
      '16.5.2026 14:30',
      '2026-05-16T14:30:00Z',
      '1:30',
      '90 min',
      'yes',
      'Calm; wild',
      'CALM',
      'Fell Gate',
      '54.6, -2.9',
      'ida@alderfold.example',
      'alderfold.example/x',
      '+00 555 0142',
      'Q-007',
      '★★★',
      'Ida',
      '٣',
      '1e5',
      "'; --",
      ' 12 ',
    ],
  ],
  [{ kind: 'text', maxLength: 4 }, ['abcd', '🐝🐝']],
  [{ kind: 'longText' }, ['two\nlines', '5', 'x'.repeat(5000)]],
  [
    { kind: 'number', digits: null },
    ['0', '1', '7', '-2.5', '0.125', '12.345678901234567890123', '123456789012345678901234567890', '0.5'],
  ],
  [{ kind: 'number', digits: 0 }, ['5', '100']],
  [{ kind: 'number', digits: 2 }, ['0.25', '3.5']],
  [{ kind: 'money', currency: 'EUR', digits: 2 }, ['12.5', '-3', '0', '7']],
  [{ kind: 'money', currency: 'GBP', digits: 0 }, ['5']],
  [{ kind: 'money', currency: null, digits: 2 }, ['12.5 EUR', '3 GBP', '-0.25 USD']],
  [{ kind: 'percent', digits: null }, ['0.125', '1', '0.07', '-0.5']],
  [{ kind: 'percent', digits: 1 }, ['0.125']],
  [{ kind: 'progress' }, ['0', '0.5', '1']],
  [{ kind: 'rating', most: 5 }, ['1', '5']],
  [{ kind: 'rating', most: 3 }, ['2']],
  [{ kind: 'yesNo' }, [true, false]],
  [{ kind: 'date' }, ['2026-05-16', '0001-01-01', '9999-12-31', '2024-02-29']],
  [
    { kind: 'dateTime' },
    ['2026-05-15T22:30:00Z', '2026-03-29T01:30:00Z', '0001-01-02T00:00:00Z', '2026-05-16T12:00:05Z'],
  ],
  [{ kind: 'duration' }, ['0', '5400', '-61', '360000', '59']],
  [{ kind: 'option', options }, ['calm', 'wild', 'seven', 'day']],
  [{ kind: 'option', options: options.slice(0, 1) }, ['calm']],
  [{ kind: 'options', options }, ['calm', 'calm,wild', 'seven']],
  [{ kind: 'options', options: options.slice(1) }, ['seven,wild']],
  [{ kind: 'url' }, ['https://alderfold.example/a?b=c']],
  [{ kind: 'email' }, ['ida@alderfold.example']],
  [{ kind: 'phone' }, ['+00 555 0142', '112']],
  [
    { kind: 'place' },
    [
      placeValue({ address: 'Fell Gate', latitude: '54.6121', longitude: '-2.9312' }),
      placeValue({ address: null, latitude: '0', longitude: '-180' }),
      placeValue({ address: '7', latitude: null, longitude: null }),
    ],
  ],
  [
    { kind: 'files' },
    [
      filesValue([file('a.png', 'image/png')]),
      filesValue([file('a.png', 'image/png'), file('b.pdf', 'application/pdf')]),
    ],
  ],
  [{ kind: 'pictures' }, [filesValue([file('a.png', 'image/png')])]],
  [{ kind: 'runningNumber', pattern: 'Q-{000}' }, ['Q-007', 'Q-1234']],
  [{ kind: 'member' }, [1, 2]],
];

const readings: readonly Reading[] = [
  { decimal: '.', dateOrder: 'ymd', zone: 'Europe/Vienna' },
  { decimal: ',', dateOrder: 'dmy', zone: 'America/New_York' },
  { decimal: '.', dateOrder: 'mdy' },
];

const fieldOfType = (type: EnteredType): Field => plainField('v', type);
const settled = (type: EnteredType, value: Scalar): Scalar =>
  value !== null && valueTypeOf(fieldOfType(type)).is === 'number' ? canonicalNumber(new Exact(String(value))) : value;

/** What SQL makes of values of one type: `expression` over the column `v`. */
async function inSql(
  type: EnteredType,
  values: readonly Scalar[],
  expression: string,
  to: EnteredType | null,
): Promise<Scalar[]> {
  const field = fieldOfType(type);
  const column = sqlTypeOf(valueTypeOf(field));
  const { rows } = await pool.query<{ c: unknown }>(
    `select ${expression} as c from (select w::${column} as v, n from unnest($1::text[]) with ordinality u(w, n)) s order by n`,
    [values.map((value) => String(toColumn(field, value)))],
  );
  return rows.map(({ c }) => (to ? settled(to, fromColumn(valueTypeOf(fieldOfType(to)), c)) : (c as Scalar)));
}

const named = (type: EnteredType) => JSON.stringify(type).slice(0, 60);

test('every kind is in the matrix, and every pair has a way', () => {
  expect(new Set(kinds.map(([type]) => type.kind)).add('link')).toEqual(new Set(enteredKinds));
  const ways = enteredKinds.flatMap((from) => enteredKinds.map((to) => conversionWay(from, to)));
  expect(ways).toHaveLength(enteredKinds.length ** 2);
});

describe('a value becomes the same in PostgreSQL as in the core, or is set aside in both', () => {
  test.each(kinds.map(([from, values]) => [named(from), from, values] as const))('from %s', async (_, from, values) => {
    let cells = 0;
    for (const [to] of kinds)
      for (const reading of readings) {
        const full = { ...reading, people };
        const expected = values.map((value) => {
          const converted = convertValue(value, from, to, full);
          return converted.ok ? settled(to, converted.value) : null;
        });
        const found = await inSql(from, values, conversionSql('v', from, to, reading), to);
        expect(found, `${named(from)} → ${named(to)} ${JSON.stringify(reading)} of ${JSON.stringify(values)}`).toEqual(
          expected,
        );
        cells += values.length;
      }
    expect(cells).toBe(kinds.length * readings.length * values.length);
  });

  test('merged options become the one they were merged into', async () => {
    const from: EnteredType = { kind: 'options', options };
    const to: EnteredType = { kind: 'options', options: options.filter(({ id }) => id !== 'wild') };
    const merge = { wild: 'calm' };
    const values = ['wild', 'calm,wild', 'seven,wild', 'calm'];
    const expected = values.map((value) => {
      const converted = convertValue(value, from, to, readings[0], merge);
      return converted.ok ? converted.value : null;
    });
    expect(expected).toEqual(['calm', 'calm', 'calm,seven', 'calm']);
    expect(await inSql(from, values, conversionSql('v', from, to, readings[0], merge), to)).toEqual(expected);
  });
});

const ofEachKind = kinds.filter(([{ kind }], index) => kinds.findIndex(([other]) => other.kind === kind) === index);

describe('every change of a field’s type is done as planned, and comes back whole', () => {
  test.each(ofEachKind.map(([from, values], index) => [named(from), index, from, values] as const))(
    'from %s',
    async (_, index, from, values) => {
      const home = await makePlace(pool, people[0]!, `Types ${index}`);
      // Half of the pairs, each the other way round as well; `LOOM_LONG=1` tries all.
      const targets = ofEachKind.flatMap(([type], to) =>
        process.env.LOOM_LONG || (to + index) % 2 === 0 ? [type] : [],
      );
      const fields = targets.map((__, to) => plainField(`v${to}`, from));
      const table = plainTable('things', fields);
      await changeNow(pool, await home.access(), [{ do: 'addTable', table, at: 0 }]);
      const name = tableName((await home.access()).workspace, table);
      const column = sqlTypeOf(valueTypeOf(fieldOfType(from)));
      await pool.query(
        `insert into ${name} (${fields.map(({ key }) => key).join(', ')}) select ${fields.map(() => `w::${column}`).join(', ')} from unnest($1::text[]) with ordinality u(w, n) order by n`,
        [values.map((value) => String(toColumn(fieldOfType(from), value)))],
      );
      const stored = async (typeOf: (to: number) => EnteredType) => {
        const { rows } = await pool.query<Record<string, unknown>>(`select * from ${name} order by _id`);
        return fields.map(({ key }, to) =>
          rows.map((row) => settled(typeOf(to), fromColumn(valueTypeOf(fieldOfType(typeOf(to))), row[key]))),
        );
      };
      const before = await stored(() => from);
      const batch = await changeNow(
        pool,
        await home.access(),
        fields.map(({ id }, to) => ({
          do: 'changeField',
          table: table.id,
          field: id,
          set: { type: targets[to]! },
          keep: newId('k'),
        })),
      );
      const { zone } = (await home.access()).workspace;
      const after = await stored((to) => targets[to]!);
      for (const [to, type] of targets.entries()) {
        const expected = values.map((value) => {
          const converted =
            JSON.stringify(type) === JSON.stringify(from)
              ? { ok: true as const, value }
              : convertValue(value, from, type, { ...plainReading, zone, people });
          return converted.ok ? settled(type, converted.value) : null;
        });
        expect(after[to], named(type)).toEqual(expected);
      }
      await home.undo(batch);
      expect(await stored(() => from)).toEqual(before);
    },
  );

  test.each(['option', 'options'] as const)('options of a field of %s are merged, and are two again', async (kind) => {
    const home = await makePlace(pool, people[0]!, `Merge ${kind}`);
    await home.change({
      do: 'addTable',
      label: 'Things',
      fields: [text('Name'), { label: 'Mood', type: kind, options: ['calm', 'quiet', 'wild'] }],
    });
    const moods = kind === 'option' ? ['quiet', 'calm', 'wild'] : [['quiet'], ['calm', 'quiet'], ['wild', 'quiet']];
    await home.insert('things', ...moods.map((mood) => ({ name: 'x', mood })));
    const before = await home.values('things', 'mood');
    const merged = await home.change({
      do: 'mergeOptions',
      table: 'things',
      field: 'mood',
      from: ['quiet'],
      into: 'calm',
    });
    expect(await home.values('things', 'mood')).toEqual(
      kind === 'option' ? ['calm', 'calm', 'wild'] : [['calm'], ['calm'], ['calm', 'wild']],
    );
    await home.undo(merged);
    expect(await home.values('things', 'mood')).toEqual(before);
  });
});

/** Days, times and numbers as people and other programs write them, and what only looks like it. */
const asPeopleWrite = [
  ...[
    '31/12/2025',
    '5.9.26',
    '05.09.69',
    '5.9.68',
    '31.2.2026',
    '2026/05/16',
    '2026.5.16',
    '9 Aug 2026',
    '9. August 2026',
    '9-Aug-2026',
    'Aug 9, 2026',
  ],
  ...[
    '9th august 2026',
    '1 März 2026',
    '1. mär. 2026',
    '3 févr. 2026',
    '3 juin 2026',
    '3 jui 2026',
    '3 ma 2026',
    '32 May 2026',
    '9 Aug 26',
    '9Aug2026',
  ],
  ...[
    '9 Aug 2026 14:30',
    'August 9, 2026 7:05',
    '5.9.26 08:15',
    '2026/05/16 23:59:59',
    '9 Foo 2026',
    'Maybe 9, 2026',
    '12-10-14',
  ],
  ...[
    '1e5',
    '2.5E-3',
    '2,5e3',
    '7E5',
    '0E8',
    '1E+2',
    '1e400',
    '-1.5e2',
    '(12.50)',
    '( 3 )',
    '(1,234.50)',
    '(1.234,50)',
    '(-5)',
    '()',
    '2,75',
    '1.234',
  ],
  ...['(12.50) EUR', 'EUR (3.00)', '(€3)', '1e5 EUR'],
];

test('texts read and print in PostgreSQL as in the core', async () => {
  const printed = kinds
    .flatMap(([type, values]) =>
      values.map((value) => printValue(value, type, { ...(readings[0] as Reading), people })),
    )
    .filter((text) => text.trim() !== '');
  const texts = [...printed, ...asPeopleWrite];
  for (const [type, values] of kinds) {
    for (const reading of readings) {
      const found = await inSql({ kind: 'text' }, texts, readSql('loom.trimmed(v)', type, reading), type);
      const expected = texts.map((text) => {
        const parsed = parseValue(text, type, { ...reading, people });
        return parsed.ok ? settled(type, parsed.value) : null;
      });
      expect(found, named(type)).toEqual(expected);
    }
    const printed = await inSql(type, values, textSql('v', type, 'Europe/Vienna'), null);
    const inCore = values.map((value) => {
      // Numbers are printed with all their digits there, so that nothing is lost on the way.
      const wide: EnteredType =
        type.kind === 'number'
          ? { kind: 'number', digits: null }
          : type.kind === 'percent'
            ? { kind: 'percent', digits: null }
            : type;
      return wide.kind === 'money' ? null : printValue(value, wide, { ...(readings[0] as Reading), people });
    });
    if (type.kind !== 'money')
      expect(
        printed.map((text) => text ?? ''),
        named(type),
      ).toEqual(inCore);
  }
});

test('what is converted and turned back is what it was, where nothing was lost', () => {
  let kept = 0;
  for (const [from, values] of kinds)
    for (const [to] of kinds)
      for (const value of values) {
        const there = convertValue(value, from, to, { ...(readings[0] as Reading), people });
        if (
          !there.ok ||
          there.value === null ||
          !(['value', 'text'] as readonly string[]).includes(conversionWay(from.kind, to.kind))
        )
          continue;
        const numericPair = (kind: EnteredKind) => ['number', 'percent', 'progress', 'rating'].includes(kind);
        if (!numericPair(from.kind) || !numericPair(to.kind)) continue;
        const back = convertValue(there.value, to, from);
        expect(back.ok && settled(from, back.value), `${named(from)} ${String(value)} → ${named(to)}`).toBe(
          settled(from, value),
        );
        kept++;
      }
  expect(kept).toBeGreaterThan(30);
});
