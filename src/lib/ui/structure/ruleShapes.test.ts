import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { checkCondition } from '$core/formula/checker';
import { fieldOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import { ruleCondition, ruleShapes, type RuleParts, type RuleShape } from './ruleShapes';

const model = alderfold();
const field = (id: string): Field => fieldOf(model, id).field;
const parts = (some: Partial<RuleParts>): RuleParts => ({ least: '', greatest: '', words: '', ...some });

describe('a rule made by choosing', () => {
  test.each<[RuleShape, string, Partial<RuleParts>, string, string]>([
    [
      'range',
      'f_weight',
      { least: '1', greatest: '60' },
      'weight >= 1 and weight <= 60',
      'Weight must be between 1 and 60.',
    ],
    ['range', 'f_weight', { greatest: '60' }, 'weight <= 60', 'Weight must be at most 60.'],
    ['range', 'f_day', { least: '2020-01-01' }, "day >= date '2020-01-01'", 'Day must be at least 2020-01-01.'],
    ['length', 'f_number', { least: '3' }, 'char_length(number) >= 3', 'Number must have at least 3 characters.'],
    ['pattern', 'f_number', { words: "H-%'" }, "number like 'H-%'''", "Number must look like H-%'."],
    [
      'allowed',
      'f_state',
      { words: 'strong, weak' },
      "state in ('strong', 'weak')",
      'State must be one of strong, weak.',
    ],
    ['allowed', 'f_weight', { words: '1,2' }, 'weight in (1, 2)', 'Weight must be one of 1,2.'],
  ])('%s of %s by %j', (shape, id, some, condition, message) => {
    expect(ruleShapes[shape].fits(field(id))).toBe(true);
    expect(ruleCondition(model, shape, field(id), parts(some))).toEqual({ ok: true, value: condition });
    expect(ruleShapes[shape].message(field(id), parts(some))).toBe(message);
    expect(checkCondition(model, fieldOf(model, id).table.id, condition).problems).toEqual([]);
  });

  test('is read as the field’s editor reads: shares in hundredths, days and numbers in the person’s way', () => {
    const share: Field = { ...field('f_weight'), key: 'share', type: { kind: 'percent', digits: null } };
    const german = { decimal: ',', dateOrder: 'dmy' } as const;
    expect(ruleCondition(model, 'range', share, parts({ least: '0', greatest: '30' }))).toEqual({
      ok: true,
      value: 'share >= 0 and share <= 0.3',
    });
    expect(ruleShapes.range.message(share, parts({ least: '0', greatest: '30 %' }))).toBe(
      'Weight must be between 0 % and 30 %.',
    );
    expect(ruleCondition(model, 'allowed', share, parts({ words: '10 %, 20' }))).toEqual({
      ok: true,
      value: 'share in (0.1, 0.2)',
    });
    expect(ruleCondition(model, 'range', field('f_weight'), parts({ greatest: '2,5' }), german)).toEqual({
      ok: true,
      value: 'weight <= 2.5',
    });
    expect(ruleCondition(model, 'range', field('f_day'), parts({ least: '31.12.2025' }), german)).toEqual({
      ok: true,
      value: "day >= date '2025-12-31'",
    });
    expect(ruleCondition(model, 'range', field('f_day'), parts({ least: 'soon' }))).toMatchObject({ ok: false });
  });

  test('is none while something is missing', () => {
    for (const shape of Object.keys(ruleShapes) as RuleShape[])
      expect(ruleCondition(model, shape, field('f_weight'), parts({}))).toEqual({ ok: true, value: '' });
    expect(ruleShapes.range.fits(field('f_number'))).toBe(false);
    expect(ruleShapes.pattern.fits(field('f_weight'))).toBe(false);
  });
});
