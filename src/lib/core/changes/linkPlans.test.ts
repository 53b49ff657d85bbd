import { describe, expect, test } from 'vitest';
import { alderfold, withFormula } from '../../../../tests/alderfold';
import { candidateCycle, dependentsOf } from '../parts/dependents';
import { checkCondition, checkFormula } from '../formula/checker';
import { printFormula } from '../formula/printer';
import { applyChange, applyChanges, changesToRemoveTable, describeChange } from './change';
import type { Change } from '../types/change';
import { structureDifference } from './difference';
import {
  changesLinkManyness,
  changesLinkToText,
  changesOptionsToTable,
  changesTextToLink,
  changesToAddLink,
  changesToRemoveField,
  type LinkWish,
} from './linkPlans';
import { fieldOf, isToMany, linkedTable, ownTables, tableNamed, typeAs } from '../model/model';
import type { Model, TableRule } from '../types/model';
import type { Field } from '../types/field';
import { shownType } from '../formula/shownType';
import { newFieldPlace, withSystemFields } from '../model/systemFields';
import { withoutForeign, withoutInternal } from '../parts/visible';
import { checkFieldType } from '../model/wellMade';

const base = alderfold();
const settings = (label: string): Omit<Field, 'type' | 'id'> => ({
  key: label.toLowerCase().replaceAll(' ', '_'),
  label,
  help: '',
  required: false,
  unique: false,
});
const wish = (more: Partial<LinkWish> = {}): LinkWish => ({
  table: 't_apiary',
  at: 1,
  to: 't_keeper',
  field: settings('Helpers'),
  onDelete: 'clear',
  many: true,
  ...more,
});

function applied(model: Model, changes: readonly Change[]): Model {
  const after = applyChanges(model, changes);
  if (!after.ok) throw new Error(after.problem.message);
  const back = applyChanges(after.value.model, after.value.inverse);
  expect(back.ok && back.value.model, 'undone').toEqual(model);
  for (const change of changes) expect(describeChange(after.value.model, change)).not.toBe('');
  return after.value.model;
}

const formulaOf = (model: Model, table: string, key: string) => {
  const field = tableNamed(model, table)!.fields.find((one) => one.key === key)!;
  return printFormula(model, typeAs(field, 'formula').formula);
};

describe('a link to many', () => {
  const { changes, field } = changesToAddLink(base, wish());
  const model = applied(base, changes);

  test('is a table of pairs that people do not see, and a field on both sides', () => {
    expect(ownTables(model).map(({ key }) => key)).toEqual(ownTables(base).map(({ key }) => key));
    const here = fieldOf(model, field);
    expect([here.table.key, isToMany(here.field), linkedTable(model, here.field)]).toMatchObject([
      'apiaries',
      true,
      { table: { key: 'keepers' }, many: true },
    ]);
    const there = tableNamed(model, 'keepers')!.fields.at(-1)!;
    expect([there.label, linkedTable(model, there)?.table.key]).toEqual(['Apiaries', 'apiaries']);
  });

  test.each([
    ['apiaries', 'count(helpers)', 'count(helpers)'],
    ['apiaries', "string_agg(distinct helpers.name, ', ')", "string_agg(distinct helpers.name, ', ')"],
    ['keepers', 'sum(apiaries.hives.weight)', 'sum(apiaries.hives.weight)'],
    ['hives', 'exists(apiary.helpers)', 'exists(apiary.helpers)'],
  ])('%s reads over it: %s', (table, text, printed) => {
    const { expression, problems } = checkFormula(model, tableNamed(model, table)!.id, text);
    expect(problems).toEqual([]);
    expect(printFormula(model, expression!)).toBe(printed);
    expect(checkFormula(model, tableNamed(model, table)!.id, printed).expression).toEqual(expression);
  });

  test('goes with its pairs, and with its table', () => {
    expect(applied(model, changesToRemoveField(model, fieldOf(model, field).field, 't_apiary'))).toEqual(base);
    const bare = applyChanges(model, changesToRemoveTable(model, 't_keeper'));
    expect(bare.ok && bare.value.model.tables.map(({ key }) => key)).toEqual(['apiaries', 'hives', 'inspections']);
  });

  test('of a table to itself has two names for the two ways', () => {
    const own = applied(
      base,
      changesToAddLink(base, wish({ to: 't_apiary', field: settings('Near'), counterpart: { label: 'Near from' } }))
        .changes,
    );
    expect(tableNamed(own, 'apiaries')!.fields.map(({ key }) => key)).toEqual(
      expect.arrayContaining(['near', 'near_from']),
    );
  });
});

describe('a field that becomes another kind of link keeps its names, its place and what reads it', () => {
  test('a text becomes a link: formulas read the title instead', () => {
    const start = withFormula(
      withFormula(base, 'hives', 'Tag', "number || '!'"),
      'apiaries',
      'Tags',
      "string_agg(hives.number, ', ')",
    );
    const made = changesTextToLink(start, 't_hive', 'f_number', { to: 't_keeper', match: 'f_name', missing: 'create' });
    if (!made.ok) throw new Error(made.problem.message);
    const model = applied(start, made.value);
    const hives = tableNamed(model, 'hives')!;
    expect(hives.fields[0]).toMatchObject({
      key: 'number',
      label: 'Number',
      unique: true,
      type: { kind: 'link', to: 't_keeper' },
    });
    expect(hives.title).toBe(hives.fields[0]?.id);
    expect([formulaOf(model, 'hives', 'tag'), formulaOf(model, 'apiaries', 'tags')]).toEqual([
      "number.name || '!'",
      "string_agg(hives.number.name, ', ')",
    ]);
    expect(made.value.filter((change) => change.do === 'copyValues')).toMatchObject([
      { from: 'f_number', missing: 'create', match: 'f_name' },
    ]);
  });

  test('a list becomes a table', () => {
    const start = withFormula(base, 'hives', 'Weak', "state = 'weak' or state is null");
    const made = changesOptionsToTable(start, 't_hive', 'f_state', 'States');
    if (!made.ok) throw new Error(made.problem.message);
    const model = applied(start, made.value);
    expect(tableNamed(model, 'states')!.fields.map(({ key }) => key)).toEqual([
      'name',
      'hives',
      'created',
      'created_by',
      'last_changed',
      'last_changed_by',
    ]);
    expect(formulaOf(model, 'hives', 'weak')).toBe("state.name = 'weak' or state.name is null");
  });

  test('to one becomes to many where nothing reads one record, and text', () => {
    // The other side of a link is changed where the link is.
    for (const { fields, id: table } of base.tables)
      for (const field of fields.filter((one) => one.type.kind === 'counterpart' && !isToMany(one)))
        for (const refused of [
          changesLinkManyness(base, table, field.id, false),
          changesLinkManyness(base, table, field.id, true),
          changesLinkToText(base, table, field.id),
        ])
          expect(refused).toMatchObject({
            ok: false,
            problem: { message: `“${field.label}” is the other side of a link.` },
          });
    expect(
      base.tables.flatMap(({ fields }) => fields).some((one) => one.type.kind === 'counterpart' && !isToMany(one)),
    ).toBe(true);
    const many = changesLinkManyness(base, 't_inspection', 'f_inspection_keeper', true);
    const model = applied(base, many.ok ? many.value : []);
    expect(isToMany(tableNamed(model, 'inspections')!.fields.find(({ key }) => key === 'keeper')!)).toBe(true);
    expect(tableNamed(model, 'keepers')!.fields.at(-1)).toMatchObject({ key: 'visits', label: 'Visits' });
    const text = changesLinkToText(base, 't_inspection', 'f_inspection_keeper');
    const plain = applied(base, text.ok ? text.value : []);
    expect(tableNamed(plain, 'inspections')!.fields.find(({ key }) => key === 'keeper')?.type).toEqual({
      kind: 'text',
    });
    const read = changesLinkManyness(
      withFormula(base, 'inspections', 'Who', 'keeper.name'),
      't_inspection',
      'f_inspection_keeper',
      true,
    );
    expect(read.ok ? '' : read.problem.message).toContain('Inspections.Who cannot follow');
  });

  test.each([
    [changesTextToLink(base, 't_hive', 'f_number', { to: 't_keeper', match: 'f_nothing' }), 'no such field'],
    [
      changesTextToLink(base, 't_hive', 'f_number', { to: 't_inspection', match: 'f_frames', missing: 'create' }),
      'cannot be made from texts',
    ],
    [changesLinkToText(base, 't_hive', 'f_number'), 'is no link'],
    [changesOptionsToTable(base, 't_hive', 'f_number', 'X'), 'has no options'],
    [changesOptionsToTable(base, 't_hive', 'f_state', 'Keepers'), 'a table Keepers already'],
  ])('what cannot be is refused: %#', (made, reason) => {
    expect(made.ok ? '' : made.problem.message).toContain(reason);
  });
});

describe('rules, limits and defaults', () => {
  const condition = (table: string, text: string) => checkCondition(base, table, text).expression!;
  const rule: TableRule = {
    id: 'r_light',
    kind: 'holds',
    message: 'Too heavy.',
    condition: condition('t_hive', 'weight < 60'),
  };

  test('are what stands on a field, by name', () => {
    const model = applied(base, [
      { do: 'addRule', table: 't_hive', at: 0, rule },
      {
        do: 'addRule',
        table: 't_hive',
        at: 1,
        rule: { id: 'r_once', kind: 'unique', message: 'Once.', fields: ['f_number', 'f_weight'] },
      },
    ]);
    expect(dependentsOf(model, 'f_weight').map(({ words }) => words)).toEqual([
      'the rule “Too heavy.” of Hives',
      'the rule “Once.” of Hives',
    ]);
    const removed = applyChange(model, { do: 'removeField', table: 't_hive', field: 'f_weight' });
    expect(removed.ok ? '' : removed.problem.message).toContain('the rule “Too heavy.”');
    expect(
      applied(model, [
        { do: 'removeRule', table: 't_hive', rule: 'r_once' },
        { do: 'removeRule', table: 't_hive', rule: 'r_light' },
      ]),
    ).toEqual(base);
  });

  test.each<[string, Change, string]>([
    ['without a message', { do: 'addRule', table: 't_hive', at: 0, rule: { ...rule, message: ' ' } }, 'no message'],
    ['of no table', { do: 'addRule', table: 't_none', at: 0, rule }, 'no such table'],
    [
      'over links',
      {
        do: 'addRule',
        table: 't_hive',
        at: 0,
        rule: { id: 'r', kind: 'unique', message: 'x', fields: ['f_number', 'f_hive_inspection'] },
      },
      'single values',
    ],
    ['that is not there', { do: 'removeRule', table: 't_hive', rule: 'r_none' }, 'no such rule'],
    [
      'on what is gone',
      {
        do: 'addRule',
        table: 't_hive',
        at: 0,
        rule: { ...rule, condition: { do: 'field', place: 0, through: [], field: 'f_gone', type: { is: 'boolean' } } },
      },
      'not there',
    ],
  ])('a rule %s is refused', (_, change, reason) => {
    const made = applyChange(base, change);
    expect(made.ok ? '' : made.problem.message).toContain(reason);
  });

  test('limits that wait for each other make a circle', () => {
    const links = applied(base, [...changesToAddLink(base, wish({ many: false, field: settings('One') })).changes]);
    const two = applied(links, changesToAddLink(links, wish({ many: false, field: settings('Other') })).changes);
    const [one, other] = ['one', 'other'].map((key) =>
      tableNamed(two, 'apiaries')!.fields.find((field) => field.key === key)!,
    );
    const limit = (model: Model, field: Field, text: string): Change => ({
      do: 'changeField',
      table: 't_apiary',
      field: field.id,
      set: { type: { ...typeAs(field, 'link'), candidates: checkCondition(model, 't_apiary', text).expression! } },
    });
    const first = applied(two, [limit(two, one!, 'one.name <> other.name')]);
    expect(candidateCycle(first, one!)).toBeNull();
    const second = applyChange(first, limit(first, other!, 'other.name <> one.name'));
    expect(second.ok ? '' : second.problem.message).toContain('Other ← One ← Other');
  });
});

describe('what a field asks of itself', () => {
  const field = (type: Field['type'], more: Partial<Field> = {}): Field => ({
    ...settings('Tried'),
    id: 'f_x',
    type,
    ...more,
  });
  test.each<[Field, string]>([
    [field({ kind: 'place' }, { unique: true }), 'cannot be unique'],
    [field({ kind: 'number', digits: 31 }), 'decimals'],
    [field({ kind: 'money', currency: 'XXX', digits: 2 }), 'no currency'],
    [field({ kind: 'rating', most: 11 }), 'steps'],
    [field({ kind: 'runningNumber', pattern: 'none' }), 'no pattern'],
    [
      field({
        kind: 'option',
        options: [
          { id: 'a', label: 'A', dye: 'moss' },
          { id: 'b', label: 'a', dye: 'moss' },
        ],
      }),
      'twice',
    ],
    [field({ kind: 'options', options: [{ id: 'a', label: ' ', dye: 'moss' }] }), 'no label'],
    [
      field({
        kind: 'option',
        options: Array.from({ length: 1001 }, (_, i) => ({ id: `o${i}`, label: `O ${i}`, dye: 'moss' as const })),
      }),
      'table of them',
    ],
  ])('%#: %s', (tried, reason) => {
    const checked = checkFieldType(tried);
    expect(checked.ok ? '' : `${checked.problem.message} ${checked.problem.fix}`).toContain(reason);
  });
});

describe('what is seen of a model', () => {
  test('internal fields and what leads to them are not there for readers; what was calculated keeps its look', () => {
    const start = withFormula(
      withFormula(base, 'hives', 'Double', 'weight * 2'),
      'inspections',
      'Light',
      'hive.weight < 20',
    );
    const marked = applied(start, [{ do: 'changeField', table: 't_hive', field: 'f_weight', set: { internal: true } }]);
    const seen = withoutInternal(marked);
    expect(tableNamed(seen, 'hives')!.fields.map(({ key }) => key)).not.toContain('weight');
    expect(tableNamed(seen, 'hives')!.fields.find(({ key }) => key === 'double')?.type).toEqual({
      kind: 'number',
      digits: null,
    });
    expect(tableNamed(seen, 'inspections')!.fields.find(({ key }) => key === 'light')?.type).toEqual({ kind: 'yesNo' });
    expect(withoutInternal(marked)).toBe(seen);
    expect(withoutInternal(base)).toBe(base);
  });

  test('of other workspaces only what is linked, titled or read from here', () => {
    const foreign: Model = {
      tables: withFormula(base, 'inspections', 'Keeper name', 'keeper.name').tables.map((table) =>
        ['t_keeper', 't_apiary'].includes(table.id) ? { ...table, home: 'yard' } : table,
      ),
    };
    const keepers = withoutForeign(foreign).tables.find(({ id }) => id === 't_keeper')!;
    expect(keepers.fields.map(({ key }) => key)).toEqual(['name', 'visits']);
    expect(ownTables(foreign).map(({ key }) => key)).toEqual(['hives', 'inspections']);
    expect([tableNamed(foreign, 'keepers'), tableNamed(foreign, 'yard.keepers')?.id]).toEqual([undefined, 't_keeper']);
  });

  test('system fields stand last, cannot be deleted or retyped, and are shown as what they hold', () => {
    const fields = withSystemFields(tableNamed(base, 'keepers')!.fields);
    expect(fields.slice(-4).map(({ type, off }) => [type.kind, off])).toEqual(
      ['createdAt', 'createdBy', 'changedAt', 'changedBy'].map((kind) => [kind, true]),
    );
    expect(newFieldPlace(fields)).toBe(fields.length - 4);
    const made = fields.find(({ type }) => type.kind === 'createdAt')!;
    const added = applyChange(base, { do: 'addField', table: 't_keeper', field: made, at: 1 });
    const model = added.ok ? added.value : base;
    expect(shownType(model, made)).toEqual({ kind: 'dateTime' });
    for (const change of [
      { do: 'removeField', table: 't_keeper', field: made.id },
      { do: 'changeField', table: 't_keeper', field: made.id, set: { type: { kind: 'text' } } },
      { do: 'changeField', table: 't_keeper', field: made.id, set: { required: true } },
    ] as const)
      expect(applyChange(model, change).ok).toBe(false);
    expect(
      applyChange(model, { do: 'changeField', table: 't_keeper', field: made.id, set: { label: 'Born', off: null } })
        .ok,
    ).toBe(true);
  });
});

test('the difference of two structures goes by identity', () => {
  const now = applied(base, [
    { do: 'changeTable', table: 't_hive', set: { label: 'Boxes', dye: 'rust' } },
    { do: 'changeField', table: 't_hive', field: 'f_weight', set: { type: { kind: 'text' }, required: 'fromNow' } },
    { do: 'moveField', table: 't_hive', field: 'f_state', to: 0 },
    {
      do: 'addField',
      table: 't_keeper',
      at: 0,
      field: { ...settings('Phone'), id: 'f_phone', type: { kind: 'phone' } },
    },
  ]);
  expect(structureDifference(base, base)).toEqual([]);
  expect(structureDifference(base, now)).toMatchObject([
    { kind: 'added', what: 'Keepers.Phone' },
    { kind: 'changed', what: 'Boxes', changes: [{ of: 'label', before: 'Hives', now: 'Boxes' }, { of: 'dye' }] },
    {
      kind: 'changed',
      what: 'Boxes.Weight',
      changes: [
        { of: 'required', before: '—', now: 'fromNow' },
        { of: 'type', before: 'number', now: 'text' },
      ],
    },
    { kind: 'changed', what: 'Boxes', changes: [{ of: 'order of fields' }] },
  ]);
});
