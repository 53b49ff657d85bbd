import { describe, expect, test } from 'vitest';
import { alderfold, withFormula } from '../../../../tests/alderfold';
import { fieldOf, tableNamed, typeAs } from '../model/model';
import type { Model } from '../types/model';
import { dependenciesOf, dependsOnDay } from './dependencies';
import { turnsAround } from './direction';
import { calculationSteps, cycleThrough, usersOf } from './graph';

const named = (model: Model, id: string) => {
  const { field, table } = fieldOf(model, id);
  return `${table.key}.${field.key}`;
};

/** What a formula on hives comes from, each as `path → field`. */
function dependencies(text: string): string[] {
  const model = withFormula(alderfold(), 'hives', 'Tried', text);
  const { formula } = typeAs(fieldOf(model, 'f_hives_tried').field, 'formula');
  const { on, missing } = dependenciesOf(model, formula);
  expect(missing).toBeUndefined();
  return on
    .map(
      ({ path, field }) => `${path.map((step) => fieldOf(model, step).field.key).join('.')} → ${named(model, field)}`,
    )
    .sort();
}

describe('what a formula comes from', () => {
  test.each<[string, string[]]>([
    ['weight * 2', [' → hives.weight']],
    ['apiary.name', ['apiary → apiaries.name', ' → hives.apiary']],
    ['count(inspections)', ['inspections → inspections.hive']],
    ['max(inspections.day)', ['inspections → inspections.day', 'inspections → inspections.hive']],
    [
      'count(inspections) filter (where inspections.keeper.name = number)',
      [
        'inspections → inspections.hive',
        'inspections → inspections.keeper',
        'inspections.keeper → keepers.name',
        ' → hives.number',
      ],
    ],
    ['max(apiary.hives.weight)', [' → hives.apiary', 'apiary.hives → hives.apiary', 'apiary.hives → hives.weight']],
    ['weight + weight + weight', [' → hives.weight']],
    ["'constant'", []],
  ])('%s', (text, expected) => {
    expect(dependencies(text)).toEqual([...expected].sort());
  });

  test.each([
    ['today() - last_inspected', true],
    ['max(inspections.day) filter (where inspections.day < today())', true],
    ['last_inspected + 1', false],
  ])('%s depends on the day: %s', (text, dated) => {
    const model = withFormula(alderfold(), 'hives', 'Tried', text);
    expect(dependsOnDay(typeAs(fieldOf(model, 'f_hives_tried').field, 'formula').formula)).toBe(dated);
  });
});

describe('the order of calculation', () => {
  let model = alderfold();
  model = withFormula(model, 'apiaries', 'Latest', 'max(hives.last_inspected)');
  model = withFormula(model, 'apiaries', 'Weight', 'sum(hives.weight)');
  model = withFormula(model, 'hives', 'Share', 'weight / nullif(apiary.weight, 0)');
  model = withFormula(model, 'inspections', 'Place', 'hive.apiary.name');

  test('fields of one table and depth are one step; each step comes after what it needs', () => {
    expect(
      calculationSteps(model).map(({ table, fields }) => [table.key, fields.map(({ field }) => field.key)]),
    ).toEqual([
      ['apiaries', ['weight']],
      ['hives', ['last_inspected']],
      ['inspections', ['place']],
      ['apiaries', ['latest']],
      ['hives', ['share']],
    ]);
  });

  test('users are found, cycles are not there', () => {
    const weight = tableNamed(model, 'hives')!.fields.find(({ key }) => key === 'weight')!;
    expect(usersOf(model, weight.id).map(({ field }) => field.key)).toEqual(['weight', 'share']);
    for (const { fields } of calculationSteps(model))
      for (const { field } of fields) expect(cycleThrough(model, field.id)).toBeNull();
  });

  test.each([
    ['inspections', 'day', false],
    ['hives', 'weight', true],
    ['apiaries', 'name', false],
    ['hives', 'number', false],
    ['hives', 'apiary', true],
  ])('a change of %s.%s turns around: %s', (table, key, turns) => {
    const field = tableNamed(model, table)!.fields.find((one) => one.key === key)!;
    expect(turnsAround(model, [field.id])).toBe(turns);
  });
});
