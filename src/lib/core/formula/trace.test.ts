import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { tableNamed } from '../model/model';
import { checkFormula } from './checker';
import { evaluate } from './evaluator';
import type { Scalar } from '../types/expression';
import { traceOf, tracedParts, type TraceStep } from './trace';

const model = alderfold();
const hives = tableNamed(model, 'hives')!;

function trace(text: string, record: Record<string, Scalar>): TraceStep {
  const { expression, problems } = checkFormula(model, hives.id, text);
  if (!expression) throw new Error(problems[0]?.message);
  const records = {
    value: (_: string, __: number, field: string) =>
      record[hives.fields.find(({ id }) => id === field)?.key ?? ''] ?? null,
    linked: () => [],
  };
  const shown = (value: Scalar) =>
    value === true ? 'yes' : value === false ? 'no' : value === null ? null : String(value);
  return traceOf(
    model,
    expression,
    new Map(
      tracedParts(expression).map((part) => [part, shown(evaluate(part, 1, { model, today: '2026-05-16', records }))]),
    ),
  );
}
const flat = (step: TraceStep): (readonly [string, string | null, string])[] => [
  [step.text, step.value, step.note],
  ...step.parts.flatMap(flat),
];

describe('a trace', () => {
  test.each<[string, Record<string, Scalar>, (readonly [string, string | null, string])[]]>([
    [
      'weight / 2 + 1',
      { weight: '7' },
      [
        ['weight / 2 + 1', '4.5', ''],
        ['weight / 2', '3.5', ''],
        ['weight', '7', ''],
      ],
    ],
    [
      'weight / 2 + 1',
      {},
      [
        ['weight / 2 + 1', null, 'blank, as weight / 2 is'],
        ['weight / 2', null, 'blank, as weight is'],
        ['weight', null, '“Weight” is blank'],
      ],
    ],
    [
      '1 / (weight - weight)',
      { weight: '3' },
      [
        ['1 / (weight - weight)', null, 'divided by 0'],
        ['weight - weight', '0', ''],
        ['weight', '3', ''],
        ['weight', '3', ''],
      ],
    ],
    [
      "case when weight > 5 then 'heavy' when weight > 1 then 'light' end",
      { weight: '3' },
      [
        ["case when weight > 5 then 'heavy' when weight > 1 then 'light' end", 'light', 'the second condition holds'],
        ['weight > 5', 'no', ''],
        ['weight', '3', ''],
        ['weight > 1', 'yes', ''],
        ['weight', '3', ''],
      ],
    ],
    [
      'sqrt(weight)',
      { weight: '-4' },
      [
        ['sqrt(weight)', null, 'blank: a negative number has no root'],
        ['weight', '-4', ''],
      ],
    ],
    ['max(inspections.day)', {}, [['max(inspections.day)', null, 'no values to gather']]],
  ])('%s of %j', (text, record, expected) => {
    expect(flat(trace(text, record))).toEqual(expected);
  });

  test('numbers its aggregates, and names the fields it reads', () => {
    const made = trace('count(inspections) + sum(inspections.frames) + weight', { weight: '1' });
    const all = (step: TraceStep): TraceStep[] => [step, ...step.parts.flatMap(all)];
    expect(
      all(made)
        .map(({ gathers }) => gathers)
        .filter((one) => one !== null),
    ).toEqual([0, 1]);
    expect(
      all(made)
        .map(({ field }) => field)
        .filter(Boolean),
    ).toEqual(['f_weight']);
  });
});
