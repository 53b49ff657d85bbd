import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { applyChanges, invertChange } from '../changes/change';
import type { Change } from '../types/change';
import { structureDifference } from '../changes/difference';
import { changesTextToLink } from '../changes/linkPlans';
import { findField, tableNamed, tableOf } from '../model/model';
import type { Model } from '../types/model';
import type { Field } from '../types/field';
import { withoutInternal } from '../parts/visible';
import { plainReading } from '../fieldTypes/registry';
import { shownParts, takeEntry } from './entry';
import { fieldItems, formsOf, missingOn, newForm, standingForm } from './form';
import type { Form, FormAudience } from '../types/form';
import { formJson, readForm, type FormItemJson, type FormJson } from './formJson';
import { formPage } from './formPage';

const text = (id: string, more: Partial<Field> = {}): Field => ({
  id: `f_${id}`,
  key: id,
  label: id,
  help: '',
  required: false,
  unique: false,
  type: { kind: 'text' },
  ...more,
});

/**
 * The hives with fields of every concern of a form: internal, a person, a note, a day by default, one that is required.
 */
function hivesModel(): Model {
  const more: Change[] = [
    text('note'),
    text('secret', { internal: true }),
    text('person', { type: { kind: 'member' } }),
    text('town', { required: true }),
    text('since', { type: { kind: 'date' }, default: { kind: 'today' } }),
    text('off', { off: true }),
    text('helpers', {
      type: {
        kind: 'options',
        options: [
          { id: 'a', label: 'Ada', dye: 'woad' },
          { id: 'b', label: 'Bo', dye: 'woad', retired: true },
        ],
        open: true,
      },
    }),
  ].map((field, at) => ({ do: 'addField', table: 't_hive', at: at + 4, field }));
  const made = applyChanges(alderfold(), more);
  if (!made.ok) throw new Error(made.problem.message);
  return made.value.model;
}
const model = hivesModel();
const hives = tableNamed(model, 'hives')!;
const reading = { ...plainReading, today: '2026-05-16', zone: 'UTC' };

function designed(audience: FormAudience, ...items: FormItemJson[]): FormJson {
  const { id: _, ...empty } = newForm(audience);
  return { ...empty, label: 'A form', sections: [{ label: '', about: '', columns: 1, shownIf: '', items }] };
}
function form(audience: FormAudience, ...items: FormItemJson[]): Form {
  const read = readForm(model, hives, 'o_one', designed(audience, ...items));
  if (!read.ok) throw new Error(`${read.problem.message} ${String(read.problem.at)}`);
  return read.value;
}
const added = (one: Form, within = model) =>
  applyChanges(within, [{ do: 'addPart', kind: 'form', table: 't_hive', part: one, at: 0 }]);
const refusalOf = (one: Form): string => {
  const result = added(one);
  return result.ok ? 'taken' : result.problem.message;
};

describe('a form in the model', () => {
  test.each<[string, Form, string | RegExp]>([
    ['an empty one', form('outside'), 'taken'],
    ['internal, for outsiders', form('outside', { field: 'secret' }), /secret is internal/],
    ['internal, for inside', form('inside', { field: 'secret' }), 'taken'],
    ['people of the Directory, for outsiders', form('outside', { field: 'person' }), /names people/],
    ['a calculated field', form('inside', { field: 'last_inspected' }), /not filled in by people/],
    ['a field that is switched off', form('inside', { field: 'off' }), /switched off/],
    ['a field twice', form('inside', { field: 'note' }, { field: 'note' }), /twice/],
    [
      'a link without a limit, for outsiders',
      form('outside', { field: 'apiary' }),
      /which records outsiders may choose/,
    ],
    ['a link with one', form('outside', { field: 'apiary', offers: "name <> 'Fell Gate'" }), 'taken'],
    ['a list, for outsiders', form('outside', { list: 'inspections' }), /no lists/],
    ['a list, for inside', form('inside', { list: 'inspections', filter: "day > date '2026-01-01'" }), 'taken'],
    ['hidden without a value', form('inside', { field: 'note', hidden: true }), /nothing is put into it/],
    [
      'a condition on what stands above',
      form('inside', { field: 'state' }, { field: 'note', shownIf: "state = 'weak'" }),
      'taken',
    ],
    [
      'a condition on what stands below',
      form('inside', { field: 'note', shownIf: "state = 'weak'" }, { field: 'state' }),
      /not filled in further up/,
    ],
    ['a condition on itself', form('inside', { field: 'note', shownIf: "note = 'a'" }), /not filled in further up/],
    [
      'a condition on what is hidden',
      form('inside', { field: 'state', hidden: true, preset: 'weak' }, { field: 'note', shownIf: "state = 'weak'" }),
      /further up/,
    ],
    ['a way on without its address', { ...form('outside'), next: { label: 'On', address: '' } }, /way on/],
    [
      'a way on that runs a script',
      { ...form('outside'), next: { label: 'On', address: 'javascript:alert(1)//https://x' } },
      /way on/,
    ],
    ['a way on', { ...form('outside'), next: { label: 'On', address: 'https://alderfold.example/' } }, 'taken'],
    [
      'a condition over a link',
      form('inside', { field: 'apiary' }, { field: 'note', shownIf: "apiary.name = 'x'" }),
      /follows a link/,
    ],
  ])('%s', (_, one, expected) => expect(refusalOf(one)).toMatch(expected));

  test.each<[string, FormItemJson, RegExp]>([
    ['no such field', { field: 'nothing' }, /no field “nothing”/],
    ['a preset that does not fit', { field: 'weight', preset: 'heavy' }, /is no number/],
    ['a limit on what is no link', { field: 'note', offers: 'true' }, /is no link/],
    ['a list of what is none', { list: 'note' }, /no list of records/],
    ['a condition that cannot be read', { field: 'note', shownIf: 'state =' }, /./],
  ])('is not read: %s', (_, item, message) => {
    const read = readForm(model, hives, 'o', designed('inside', item));
    expect(read.ok ? '' : read.problem.message).toMatch(message);
    expect(read.ok ? '' : read.problem.at).toMatch(/^\/sections\/0\/items\/0/);
  });

  test('is written as it was read, whatever is chosen', () => {
    const item = fc.constantFrom<FormItemJson>(
      {
        field: 'note',
        label: 'What you saw',
        help: 'In a few words',
        placeholder: 'such as …',
        required: true,
        wide: true,
      },
      { field: 'state', preset: 'weak', hidden: true },
      { field: 'weight', preset: 12.5, shownIf: 'note is not null' },
      { field: 'apiary', offers: "name <> 'Fell Gate'" },
      { list: 'inspections', label: 'Visits', filter: 'frames > 3' },
      { field: 'since', preset: '2026-01-02' },
      { field: 'helpers', preset: ['Ada'] },
    );
    fc.assert(
      fc.property(fc.array(item, { maxLength: 6 }), fc.constantFrom(1 as const, 2 as const), (items, columns) => {
        const json: FormJson = {
          ...designed('inside', ...items),
          sections: [{ label: 'One', about: 'More', columns, shownIf: "state = 'strong'", items }],
          next: { label: 'On', address: 'https://alderfold.example/' },
        };
        const read = readForm(model, hives, 'o_one', json);
        if (!read.ok) throw new Error(read.problem.message);
        expect(formJson(model, hives, read.value)).toEqual({ form: json, lost: [] });
      }),
    );
  });

  test('each change of forms is undone', () => {
    const first = { ...form('inside', { field: 'note' }), id: 'o_1' };
    const start = added(first);
    if (!start.ok) throw new Error('no form');
    const standing = start.value.model;
    for (const change of [
      { do: 'changePart', kind: 'form', table: 't_hive', part: { ...first, label: 'Another' } },
      { do: 'removePart', kind: 'form', table: 't_hive', part: 'o_1' },
      { do: 'addPart', kind: 'form', table: 't_hive', part: { ...first, id: 'o_2', label: 'Second' }, at: 0 },
    ] as const satisfies readonly Change[]) {
      const done = applyChanges(standing, [change, ...invertChange(standing, change)]);
      expect(done.ok && done.value.model).toEqual(standing);
      expect(done.ok && done.value.inverse.length).toBe(2);
    }
  });

  test('the structure’s history tells which forms came, went and became others', () => {
    const first = { ...form('inside', { field: 'note' }), id: 'o_1' };
    const start = added(first);
    if (!start.ok) throw new Error('no form');
    const after = (change: Change) => {
      const done = applyChanges(start.value.model, [change]);
      return done.ok ? structureDifference(start.value.model, done.value.model) : [];
    };
    expect(structureDifference(model, start.value.model)).toEqual([
      { kind: 'added', what: 'Hives: form “A form”', changes: [] },
    ]);
    expect(after({ do: 'removePart', kind: 'form', table: 't_hive', part: 'o_1' })).toEqual([
      { kind: 'removed', what: 'Hives: form “A form”', changes: [] },
    ]);
    expect(after({ do: 'changePart', kind: 'form', table: 't_hive', part: { ...first, intro: 'Hello' } })).toEqual([
      { kind: 'changed', what: 'Hives: form “A form”', changes: [] },
    ]);
    expect(after({ do: 'changePart', kind: 'form', table: 't_hive', part: { ...first, label: 'B' } })).toMatchObject([
      { kind: 'changed', changes: [{ before: 'A form', now: 'B' }] },
    ]);
  });

  test('stands without what became internal, was switched off or is gone, and says what it lost', () => {
    const one = form(
      'outside',
      { field: 'note' },
      { field: 'state' },
      { field: 'town', shownIf: "note = 'x'" },
      { field: 'weight' },
    );
    const now = applyChanges(model, [
      { do: 'addPart', kind: 'form', table: 't_hive', part: one, at: 0 },
      { do: 'changeField', table: 't_hive', field: 'f_state', set: { internal: true } },
      { do: 'changeField', table: 't_hive', field: 'f_weight', set: { off: true } },
      { do: 'removeField', table: 't_hive', field: 'f_note' },
    ]);
    if (!now.ok) throw new Error(now.problem.message);
    const table = tableOf(now.value.model, 't_hive');
    const standing = standingForm(now.value.model, table, formsOf(table)[0]!);
    expect(fieldItems(standing)).toEqual([{ kind: 'field', field: 'f_town' }]);
    expect(formJson(now.value.model, table, formsOf(table)[0]!).lost).toEqual([
      'a field on it was deleted',
      'the condition of town asked about a field that was deleted',
    ]);
  });

  test('follows a text that becomes a link; for outsiders it goes until somebody says what they may choose', () => {
    const inside = { ...form('inside', { field: 'note', label: 'Where', preset: 'Low Meadow' }), id: 'o_1' };
    const outside = { ...form('outside', { field: 'note' }, { field: 'town' }), id: 'o_2', label: 'Other' };
    const start = applyChanges(model, [
      { do: 'addPart', kind: 'form', table: 't_hive', part: inside, at: 0 },
      { do: 'addPart', kind: 'form', table: 't_hive', part: outside, at: 1 },
    ]);
    if (!start.ok) throw new Error(start.problem.message);
    const changes = changesTextToLink(start.value.model, 't_hive', 'f_note', { to: 't_keeper', match: 'f_name' });
    if (!changes.ok) throw new Error(changes.problem.message);
    const done = applyChanges(start.value.model, changes.value);
    if (!done.ok) throw new Error(done.problem.message);
    const [one, other] = formsOf(tableOf(done.value.model, 't_hive'));
    const [item] = fieldItems(one!);
    expect(item).toMatchObject({ kind: 'field', label: 'Where' });
    expect(item).not.toHaveProperty('preset');
    expect(findField(done.value.model, item!.field)?.field.type.kind).toBe('link');
    expect(fieldItems(other!).map(({ field }) => field)).toEqual(['f_town']);
  });

  test('a reader’s model has no condition that tells of an internal field', () => {
    const one = form('inside', { field: 'secret' }, { field: 'note', shownIf: "secret = 'x'" });
    const done = added(one);
    if (!done.ok) throw new Error(done.problem.message);
    expect(JSON.stringify(withoutInternal(done.value.model).tables.map(formsOf))).not.toContain("'x'");
    expect(JSON.stringify(withoutInternal(done.value.model))).not.toContain('"value":"x"');
  });

  test('says which required fields it leaves blank', () =>
    expect(missingOn(hives, form('outside', { field: 'note' })).map(({ key }) => key)).toEqual(['town']));
});

describe('an entry', () => {
  const one = form(
    'inside',
    { field: 'state' },
    { field: 'note', shownIf: "state = 'weak'", required: true, label: 'What is wrong' },
    { field: 'weight', shownIf: 'note is not null' },
    { field: 'number', hidden: true, preset: 'H-9' },
    { field: 'helpers' },
    { field: 'since' },
  );
  test.each<[string, Record<string, unknown>, Record<string, unknown>, string[]]>([
    [
      'what is shown is taken',
      { state: 'weak', note: 'thin', weight: '12.5' },
      { state: 'weak', note: 'thin', weight: '12.5', number: 'H-9', since: '2026-05-16' },
      [],
    ],
    [
      'what is not shown is left out',
      { state: 'strong', note: 'thin', weight: 3 },
      { state: 'strong', number: 'H-9', since: '2026-05-16' },
      [],
    ],
    ['what is shown and required', { state: 'weak' }, { state: 'weak', number: 'H-9', since: '2026-05-16' }, ['note']],
    [
      'a blank is a blank',
      { state: 'weak', note: '' },
      { state: 'weak', number: 'H-9', since: '2026-05-16' },
      ['note'],
    ],
    ['what is hidden cannot be sent', { number: 'H-1' }, { number: 'H-9', since: '2026-05-16' }, ['number']],
    [
      'what is not on it cannot be sent',
      { town: 'x', secret: 'y', _id: 4 },
      { number: 'H-9', since: '2026-05-16' },
      ['town', 'secret', '_id'],
    ],
    ['what does not fit is said', { state: 'huge', since: 'soon' }, { number: 'H-9' }, ['state', 'since']],
    [
      'retired options and new words are none of the options',
      { helpers: ['Bo', 'Cy'] },
      { number: 'H-9', since: '2026-05-16' },
      ['helpers'],
    ],
    ['a day that was cleared stays blank', { since: null }, { number: 'H-9', since: null }, []],
  ])('%s', (_, sent, values, problems) => {
    const entry = takeEntry(model, hives, one, sent, reading);
    expect({ values: entry.values, problems: entry.problems.map(({ field }) => field) }).toEqual({ values, problems });
  });

  test('links are taken by number alone: nothing else can be asked by them', () => {
    const linked = form('outside', { field: 'apiary', offers: 'true' });
    expect(takeEntry(model, hives, linked, { apiary: { id: 3, match: { name: 'x' } } }, reading).values).toEqual({
      apiary: 3,
    });
    expect(takeEntry(model, hives, linked, { apiary: { match: { name: 'x' } } }, reading).problems).toHaveLength(1);
  });

  test('of a record that stands only what is sent is read, and nothing hidden is put in', () => {
    const entry = takeEntry(model, hives, one, { state: 'strong' }, reading, false);
    expect(entry).toEqual({ values: { state: 'strong' }, problems: [] });
  });

  test('the page and the server show the same parts', () => {
    const page = formPage(
      model,
      hives,
      form(
        'outside',
        { field: 'state' },
        { field: 'note', shownIf: "state = 'weak'" },
        { field: 'town', shownIf: 'note is null' },
      ),
    );
    fc.assert(
      fc.property(
        fc.record({ state: fc.constantFrom('weak', 'strong', null), note: fc.constantFrom('a', '', null) }),
        (values) => {
          const here = shownParts(page.model, page.table, page.form, values, reading);
          const shown = fieldItems(page.form)
            .filter((item) => here.items.has(item))
            .map(({ field }) => field);
          const weak = values.state === 'weak';
          expect(shown).toEqual(['f_state', ...(weak ? ['f_note'] : []), ...(weak && values.note ? [] : ['f_town'])]);
        },
      ),
    );
  });
});

test('an outsider’s page holds the fields of the form and nothing else of the workspace', () => {
  const one = form(
    'outside',
    { field: 'note', label: 'What you saw' },
    { field: 'number', hidden: true, preset: 'H-777' },
    { field: 'apiary', offers: "name <> 'Hidden Croft'" },
    { field: 'state' },
  );
  const page = JSON.stringify(formPage(model, hives, one));
  for (const told of ['What you saw', 'weak']) expect(page).toContain(told);
  for (const kept of [
    'secret',
    'Hives',
    'Keepers',
    'Apiaries',
    'Hidden Croft',
    'H-777',
    'Inspections',
    'last_inspected',
    'Last inspected',
    'person',
    'town',
  ])
    expect(page).not.toContain(kept);
});
