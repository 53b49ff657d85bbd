import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { calculationSteps } from '../flow/graph';
import { alderfold, formulaChange, withFormula } from '../../../../tests/alderfold';
import { applyChange, applyChanges, changesToRemoveTable, invertChange, describeChange } from './change';
import type { Change } from '../types/change';
import { checkKey, checkWorkspaceKey, freeKey, keyFromLabel, nearestNames } from '../base/key';
import { tableNamed, tableOf } from '../model/model';
import type { Model } from '../types/model';
import type { Field, FieldType } from '../types/field';

const types: readonly FieldType[] = [
  { kind: 'text' },
  { kind: 'number', digits: 2 },
  { kind: 'yesNo' },
  { kind: 'date' },
  { kind: 'option', options: [{ id: 'a', label: 'A', dye: 'plum' }] },
];

/** A change made from random numbers: some can be made, some cannot. */
function changeFrom(model: Model, n: readonly number[], serial: number): Change {
  const [what = 0, a = 0, b = 0, c = 0] = n;
  const pick = <T>(list: readonly T[], at: number) => list[at % list.length] as T;
  const table = pick(model.tables, a);
  const fresh: Field = {
    id: `f_new${serial}`,
    key: `new_${serial % 7}`,
    label: `New ${serial % 7}`,
    help: '',
    required: c % 2 === 0,
    unique: false,
    type: pick(types, c),
  };
  const at = b % (table.fields.length + 1);
  const field = pick(table.fields, b) ?? fresh;
  switch (table.fields.length === 0 ? 0 : what % 9) {
    case 0:
      return { do: 'addField', table: table.id, field: fresh, at };
    case 1:
      return { do: 'removeField', table: table.id, field: field.id };
    case 2:
      return {
        do: 'changeField',
        table: table.id,
        field: field.id,
        set: { label: `Renamed ${c % 5}`, required: true },
      };
    case 3:
      return {
        do: 'changeField',
        table: table.id,
        field: field.id,
        set: { key: `key_${c % 5}`, type: pick(types, b) },
      };
    case 4:
      return { do: 'moveField', table: table.id, field: field.id, to: c % table.fields.length };
    case 5:
      return { do: 'changeTable', table: table.id, set: { key: `table_${c % 5}`, title: field.id } };
    case 6:
      return {
        do: 'addTable',
        table: {
          ...table,
          id: `t_new${serial}`,
          key: `made_${serial % 4}`,
          label: `Made ${serial % 4}`,
          title: fresh.id,
          fields: [fresh],
        },
        at: c % 5,
      };
    case 7:
      return { do: 'removeTable', table: table.id };
    default: {
      const to = pick(model.tables, c);
      return {
        do: 'addField',
        table: table.id,
        at,
        field: { ...fresh, type: { kind: 'link', to: to.id, onDelete: 'clear', counterpart: `f_other${serial}` } },
        counterpart: {
          at: c % (to.fields.length + 1),
          field: {
            ...fresh,
            id: `f_other${serial}`,
            key: `other_${serial}`,
            label: `Other ${serial}`,
            type: { kind: 'counterpart', from: table.id, link: fresh.id },
          },
        },
      };
    }
  }
}

test('a change undone leaves the same model, for random sequences', () => {
  let made = 0;
  const steps = fc.array(fc.array(fc.nat(1000), { minLength: 4, maxLength: 4 }), { minLength: 1, maxLength: 25 });
  fc.assert(
    fc.property(steps, (all) => {
      const start = alderfold();
      let model = start;
      let inverse: Change[] = [];
      all.forEach((numbers, serial) => {
        const change = changeFrom(model, numbers, serial);
        const applied = applyChange(model, change);
        if (!applied.ok) return expect(applied.problem.message).not.toBe('');
        const back = applyChanges(applied.value, invertChange(model, change));
        expect(back.ok && back.value.model).toEqual(model);
        expect(describeChange(applied.value, change)).not.toBe('');
        const throughJson = applyChange(model, JSON.parse(JSON.stringify(change)) as Change);
        expect(throughJson.ok && throughJson.value).toEqual(applied.value);
        inverse = [...invertChange(model, change), ...inverse];
        model = applied.value;
        made++;
      });
      const back = applyChanges(model, inverse);
      expect(back.ok && back.value.model).toEqual(start);
    }),
    { numRuns: 300 },
  );
  expect(made).toBeGreaterThan(1000);
});

describe('what cannot be done is refused with a reason', () => {
  const model = alderfold();
  const hives = tableNamed(model, 'hives')!;
  const cases: readonly [string, Change, string][] = [
    [
      'a key taken',
      { do: 'changeField', table: hives.id, field: 'f_weight', set: { key: 'number' } },
      'key number already',
    ],
    ['a label taken', { do: 'changeField', table: hives.id, field: 'f_weight', set: { label: 'NUMBER' } }, 'already'],
    ['an empty label', { do: 'changeTable', table: hives.id, set: { label: ' ' } }, 'empty'],
    ['a reserved key', { do: 'changeTable', table: hives.id, set: { key: 'select' } }, 'word of the formula language'],
    ['a field in use', { do: 'removeField', table: 't_inspection', field: 'f_day' }, 'Hives.Last inspected'],
    ['a link in use', { do: 'removeField', table: 't_inspection', field: 'f_inspection_hive' }, 'Hives.Last inspected'],
    [
      'the type of a field in use',
      { do: 'changeField', table: 't_inspection', field: 'f_day', set: { type: { kind: 'text' } } },
      'another type',
    ],
    [
      'a link turned into text',
      { do: 'changeField', table: 't_inspection', field: 'f_inspection_hive', set: { type: { kind: 'text' } } },
      'cannot become',
    ],
    ['the other side alone', { do: 'removeField', table: hives.id, field: 'f_hive_inspection' }, 'reverse link'],
    ['a table with links', { do: 'removeTable', table: hives.id }, 'still has'],
    ['a place outside', { do: 'moveField', table: hives.id, field: 'f_weight', to: 99 }, 'outside'],
    ['an unknown field', { do: 'removeField', table: hives.id, field: 'f_nothing' }, 'no such field'],
  ];
  test.each(cases)('%s', (_, change, reason) => {
    const applied = applyChange(model, change);
    expect(applied.ok ? '' : applied.problem.message).toContain(reason);
  });

  test('a cycle names its path', () => {
    const chained = withFormula(
      withFormula(model, 'apiaries', 'Latest', 'max(hives.last_inspected)'),
      'hives',
      'Near',
      'apiary.latest',
    );
    const extra = applyChange(chained, formulaChange(chained, 'inspections', 'Seen', 'hive.near'));
    if (!extra.ok) throw new Error(extra.problem.message);
    const looped = formulaChange(extra.value, 'hives', 'Loop', 'max(inspections.seen)');
    if (looped.do !== 'addField' || looped.field.type.kind !== 'formula') throw new Error('no formula');
    const turned = applyChange(extra.value, {
      do: 'changeField',
      table: 't_hive',
      field: 'f_hives_last_inspected',
      set: { type: looped.field.type },
    });
    expect(turned.ok ? '' : turned.problem.message).toContain(
      'Hives.Last inspected ← Inspections.Seen ← Hives.Near ← Apiaries.Latest ← Hives.Last inspected',
    );
    expect(turned.ok ? [] : turned.problem.path).toEqual([
      'f_hives_last_inspected',
      ...['Seen', 'Near', 'Latest'].map(
        (label) => extra.value.tables.flatMap(({ fields }) => fields).find((field) => field.label === label)?.id,
      ),
      'f_hives_last_inspected',
    ]);
  });
});

test('removing a table first removes what hangs on it, and comes back whole', () => {
  const model = alderfold();
  const removed = applyChanges(model, changesToRemoveTable(model, 't_inspection'));
  expect(removed.ok ? '' : removed.problem.message).toContain('Last inspected');
  const bare = applyChanges(model, [
    { do: 'removeField', table: 't_hive', field: 'f_hives_last_inspected' },
    ...changesToRemoveTable(model, 't_inspection'),
  ]);
  if (!bare.ok) throw new Error(bare.problem.message);
  expect(bare.value.model.tables.map(({ key }) => key)).toEqual(['keepers', 'apiaries', 'hives']);
  expect(tableOf(bare.value.model, 't_hive').fields.map(({ key }) => key)).not.toContain('inspections');
  const back = applyChanges(bare.value.model, bare.value.inverse);
  expect(back.ok && back.value.model).toEqual(model);
});

test('calculated fields come after what they need', () => {
  let model = alderfold();
  model = withFormula(model, 'apiaries', 'Latest', 'max(hives.last_inspected)');
  model = withFormula(model, 'hives', 'Lag', 'apiary.latest - last_inspected');
  const order = calculationSteps(model).flatMap(({ fields }) => fields.map(({ field }) => field.key));
  expect(order).toEqual(['last_inspected', 'latest', 'lag']);
});

describe('keys', () => {
  test.each([
    // What every object has by itself.
    ['Constructor', 'constructor_field'],
    ['Next inspection due', 'next_inspection_due'],
    ['Größe (kg)', 'grosse_kg'],
    ['€', 'field'],
    ['2026', 'n_2026'],
    ['kgLeft', 'kg_left'],
    ['  ', 'field'],
    ['🐝 bees', 'bees'],
    ['select', 'select_field'],
    ['By', 'by_field'],
    ['Zahl der Völker', 'zahl_der_volker'],
    ['x'.repeat(200), 'x'.repeat(63)],
  ])('%s → %s', (label, key) => {
    expect(keyFromLabel(label, 'field')).toBe(key);
    expect(checkKey(key).ok).toBe(true);
  });

  test('bad keys are refused, taken ones numbered, names guessed', () => {
    for (const key of ['Select', 'select', '1a', 'a b', '_a', '', 'a'.repeat(64), 'ä'])
      expect(checkKey(key).ok, key).toBe(false);
    for (const key of ['public', 'loom', 'pg_temp']) expect(checkWorkspaceKey(key).ok, key).toBe(false);
    expect(freeKey('a', new Set(['a', 'a_2']))).toBe('a_3');
    expect(freeKey('x'.repeat(63), new Set(['x'.repeat(63)]))).toBe(`${'x'.repeat(61)}_2`);
    expect(nearestNames('wieght', ['weight', 'height', 'keeper'])[0]).toBe('weight');
  });
});
