import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { fieldOf, tableNamed } from '../model/model';
import type { Model } from '../types/model';
import { checkFormula } from './checker';
import { evaluate, fitNumber, type EvaluationContext } from './evaluator';
import type { Scalar } from '../types/expression';

const model = alderfold();

/** A small world by table and record; links are ids. */
const world: Record<string, Record<number, Record<string, Scalar>>> = {
  keepers: { 1: { name: 'Ida' }, 2: { name: 'Tom' } },
  apiaries: { 1: { name: 'Low Meadow' } },
  hives: {
    1: { number: 'H-1', weight: '12.5', state: 'strong', apiary: 1, last_inspected: '2026-05-09' },
    2: { number: 'H-2', weight: null, state: null, apiary: 1, last_inspected: null },
    3: { number: 'H-3', weight: '0', state: 'weak', apiary: null, last_inspected: '2026-04-01' },
  },
  inspections: {
    1: { day: '2026-05-02', frames: '4', hive: 1, keeper: 1 },
    2: { day: '2026-05-09', frames: '6', hive: 1, keeper: 2 },
    3: { day: null, frames: null, hive: 1, keeper: 2 },
    4: { day: '2026-04-01', frames: '5', hive: 3, keeper: null },
  },
};

function contextOf(of: Model): EvaluationContext {
  const rows = (table: string) => world[of.tables.find(({ id }) => id === table)?.key ?? ''] ?? {};
  return {
    model: of,
    today: '2026-05-16',
    records: {
      value: (table, id, field) => rows(table)[id]?.[fieldOf(of, field).field.key] ?? null,
      linked(counterpart, id) {
        const { type } = fieldOf(of, counterpart).field;
        if (type.kind !== 'counterpart') throw new Error('no counterpart');
        const { key } = fieldOf(of, type.link).field;
        return Object.entries(rows(type.from)).flatMap(([record, values]) =>
          values[key] === id ? [Number(record)] : [],
        );
      },
    },
  };
}

function valueFor(text: string, hive: number): Scalar {
  const { expression, problems } = checkFormula(model, tableNamed(model, 'hives')!.id, text);
  if (!expression) throw new Error(`${text}: ${problems[0]?.message}`);
  return evaluate(expression, hive, contextOf(model));
}

describe('formulas over records in memory', () => {
  test.each<[string, Scalar, Scalar, Scalar]>([
    ['count(inspections)', '3', '0', '1'],
    ['count(inspections.day)', '2', '0', '1'],
    ['sum(inspections.frames)', '10', '0', '5'],
    ['avg(inspections.frames)', '5', null, '5'],
    ['max(inspections.day)', '2026-05-09', null, '2026-04-01'],
    ['min(inspections.frames)', '4', null, '5'],
    ['count(distinct inspections.keeper)', '2', '0', '0'],
    ["string_agg(inspections.keeper.name, ', ' order by inspections.keeper.name desc)", 'Tom, Tom, Ida', null, null],
    ["string_agg(distinct inspections.keeper.name, '/')", 'Ida/Tom', null, null],
    ['sum(inspections.frames) filter (where inspections.frames > 4)', '6', '0', '5'],
    ['exists(inspections) filter (where inspections.day is null)', true, false, false],
    ['share(inspections) filter (where inspections.frames > 4)', '0.33333333333333333333', null, '1'],
    ['first(inspections.frames order by inspections.day desc)', null, null, '5'],
    ['last(inspections.frames order by inspections.day desc)', '4', null, '5'],
    ['every(inspections.frames > 3)', true, null, true],
    ['bool_or(inspections.frames > 5)', true, null, false],
    ['count(apiary.hives)', '2', '2', '0'],
    ['max(apiary.hives.last_inspected)', '2026-05-09', '2026-05-09', null],
    ['sum(apiary.hives.weight) filter (where apiary.hives.state = state)', '12.5', '0', '0'],
    ["apiary.name || ' ' || number", 'Low Meadow H-1', 'Low Meadow H-2', null],
    ["coalesce(apiary.name, 'nowhere')", 'Low Meadow', 'Low Meadow', 'nowhere'],
    ['weight / weight', '1', null, null],
    ['10 / weight', '0.8', null, null],
    [
      "case when weight > 10 then 'heavy' when weight is null then 'unknown' else 'light' end",
      'heavy',
      'unknown',
      'light',
    ],
    ["state = 'strong'", true, null, false],
    ["state || '!'", 'strong!', null, 'weak!'],
    ["state in ('weak', 'strong')", true, null, true],
    ['today() - last_inspected', '7', null, '45'],
    ["last_inspected + interval '1 month'", '2026-06-09', null, '2026-05-01'],
    ['not (weight > 5 or weight is null)', false, false, true],
    ['nullif(weight, 0) is null', false, true, true],
  ])('%s', (text, first, second, third) => {
    expect([1, 2, 3].map((hive) => valueFor(text, hive))).toEqual([first, second, third]);
  });

  test.each<[Scalar, Scalar]>([
    ['9'.repeat(30), '9'.repeat(30)],
    ['9'.repeat(31), null],
    [`0.${'0'.repeat(30)}6`, '0.000000000000000000000000000001'],
    [`0.${'0'.repeat(30)}4`, '0'],
    [null, null],
  ])('a field holds %s as %s', (value, held) => {
    expect(fitNumber(value)).toBe(held);
  });

  test('overflow is blank, never a fault', () => {
    expect(valueFor(Array.from({ length: 12 }, () => '999999999').join(' * '), 1)).toBeNull();
    expect(valueFor("date '9999-12-31' + 1", 1)).toBeNull();
    expect(valueFor("date '0001-01-01' - interval '1 day'", 1)).toBeNull();
  });
});
