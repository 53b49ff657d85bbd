import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { alderfold, withFormula } from '../../../../tests/alderfold';
import { checkCondition, checkFormula } from '../formula/checker';
import { applyChanges } from '../changes/change';
import type { Change } from '../types/change';
import { tableNamed } from '../model/model';
import type { Model } from '../types/model';
import type { FieldType } from '../types/field';
import {
  conditionPaths,
  conditionTests,
  isGroup,
  readConditions,
  testsFor,
  writeConditions,
  type ConditionGroup,
  type FieldCondition,
} from './conditions';

const options = ['queen', "o'clock", 'two words'].map((label, index) => ({
  id: `o${index}`,
  label,
  dye: 'moss' as const,
}));

/** A value to compare with, as people write it, for each kind of field. */
const kinds: readonly (readonly [FieldType, string, string])[] = [
  [{ kind: 'text' }, "Anselm's", 'Brida'],
  [{ kind: 'longText' }, 'a', 'b'],
  [{ kind: 'number', digits: 2 }, '12.5', '-3'],
  [{ kind: 'percent', digits: 1 }, '12.5 %', '40 %'],
  [{ kind: 'progress' }, '5 %', '100 %'],
  [{ kind: 'rating', most: 5 }, '3', '4'],
  [{ kind: 'money', currency: 'EUR', digits: 2 }, '3.2', '9'],
  [{ kind: 'yesNo' }, '', ''],
  [{ kind: 'date' }, '2026-05-16', '2026-06-01'],
  [{ kind: 'dateTime' }, '2026-05-16 14:30:00Z', '2026-06-01 08:00:00Z'],
  [{ kind: 'duration' }, '1:30', '2:00'],
  [{ kind: 'option', options }, "o'clock", 'queen'],
  [{ kind: 'options', options }, 'two words', 'queen'],
  [{ kind: 'member' }, '', ''],
  [{ kind: 'place' }, '', ''],
  [{ kind: 'files' }, '', ''],
  [{ kind: 'url' }, 'alderfold.example', 'b'],
];

const model = ((): Model => {
  const changes = kinds.map(([type], index): Change => ({
    do: 'addField',
    table: 't_hive',
    at: index,
    field: {
      id: `f_k${index}`,
      key: `k_${type.kind.toLowerCase()}`,
      label: `Kind ${type.kind}`,
      help: '',
      required: false,
      unique: false,
      type,
    },
  }));
  const built = applyChanges(withFormula(alderfold(), 'hives', 'Doubled', 'weight * 2'), changes);
  if (!built.ok) throw new Error(built.problem.message);
  return built.value.model;
})();
const hives = tableNamed(model, 'hives')!;
const cases = [
  ...kinds.map(([type, a, b]) => [`k_${type.kind.toLowerCase()}`, a, b] as const),
  ['doubled', '7', '8'] as const,
  ['apiary', '', ''] as const,
  ['apiary.name', 'Low Field', 'x'] as const,
  ['inspections', '', ''] as const,
].flatMap(([path, a, b]) => {
  const field = conditionPaths(model, hives).find((one) => one.path === path)?.field;
  if (!field) throw new Error(path);
  return testsFor(field).map((one): FieldCondition => {
    const operands =
      one.operands === 'several'
        ? [a, b]
        : one.operands.map((kind, index) => (kind === 'number' ? '14' : index === 0 ? a : b));
    // What is looked for in a text is looked for in small letters.
    return {
      path,
      test: one.name,
      operands:
        one.operands !== 'several' && one.operands[0] === 'text'
          ? operands.map((text) => text.toLowerCase())
          : operands,
    };
  });
});

const written = (group: ConditionGroup): string => {
  const formula = writeConditions(model, hives, group);
  if (!formula.ok) throw new Error(formula.problem.message);
  return formula.value;
};

describe('a chosen condition', () => {
  test.each(cases.map((one) => [`${one.path} ${one.test}`, one] as const))('%s', (_, one) => {
    const formula = written({ join: 'and', parts: [one] });
    expect(checkCondition(model, hives.id, formula).problems, formula).toEqual([]);
    expect(readConditions(model, hives, formula), formula).toEqual({ join: 'and', parts: [one] });
  });

  test('every test is offered for some kind of field', () => {
    const used = new Set(cases.map((one) => one.test));
    expect(conditionTests.map(({ name }) => name).filter((name) => !used.has(name))).toEqual([]);
  });

  test.each<[FieldCondition, string]>([
    [{ path: 'weight', test: 'is', operands: [''] }, 'Say what'],
    [{ path: 'weight', test: 'is', operands: ['heavy'] }, 'number'],
    [{ path: 'weight', test: 'contains', operands: ['1'] }, 'Choose the field'],
    [{ path: 'wieght', test: 'is', operands: ['1'] }, 'Choose the field'],
    [{ path: 'k_date', test: 'lastDays', operands: ['a week'] }, 'digits'],
    [{ path: 'k_option', test: 'oneOf', operands: [' ', ''] }, 'Say what'],
  ])('%j is not complete', (one, words) => {
    const formula = writeConditions(model, hives, { join: 'and', parts: [one] });
    expect(formula.ok ? formula.value : `${formula.problem.message} ${formula.problem.fix ?? ''}`).toContain(words);
  });
});

describe('groups', () => {
  /** As they are read back: no group in one of the same kind, none of a single part inside another. */
  const group = (depth: number, join: 'and' | 'or'): fc.Arbitrary<ConditionGroup> => {
    const leaf = fc.constantFrom(...cases);
    const part =
      depth === 0
        ? leaf
        : fc.oneof(
            { weight: 3, arbitrary: leaf },
            { weight: 1, arbitrary: group(depth - 1, join === 'and' ? 'or' : 'and') },
          );
    return fc.array(part, { minLength: 2, maxLength: 4 }).map((parts) => ({ join, parts }));
  };

  test('nested come back unchanged, and are conditions', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('and' as const, 'or' as const).chain((join) => group(2, join)),
        (one) => {
          const formula = written(one);
          expect(readConditions(model, hives, formula)).toEqual(one);
          expect(
            checkCondition(model, hives.id, formula).problems.filter(({ message }) => !message.includes('never holds')),
          ).toEqual([]);
          // What contradicts itself is a condition, too, only one that is told.
          expect(checkFormula(model, hives.id, formula)).toMatchObject({
            expression: { type: { is: 'boolean' } },
            problems: [],
          });
        },
      ),
      { numRuns: 200 },
    );
  });

  test.each([
    ['', []],
    ['weight > 3 and (weight < 9)', ['weight above', 'weight below']],
    ['"Weight" = 3', ['weight is']],
    ['((weight > 3))', ['weight above']],
  ])('“%s” is read', (formula, parts) => {
    expect(
      readConditions(model, hives, formula)?.parts.map((one) => (isGroup(one) ? one.join : `${one.path} ${one.test}`)),
    ).toEqual(parts);
  });

  test.each([
    'weight > 3 + 1',
    'weight > doubled',
    'case when k_yesno then k_yesno end',
    'not (weight > 3 and weight < 9)',
    'weight >',
    'sum(inspections.frames) > 3',
    'today() = k_date',
  ])('“%s” says more than can be chosen', (formula) => {
    expect(readConditions(model, hives, formula)).toBeNull();
  });
});
