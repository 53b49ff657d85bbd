import { partsOf } from '../types/part';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { applyChanges, invertChange } from '../changes/change';
import type { Change } from '../types/change';
import { changesTextToLink } from '../changes/linkPlans';
import { tableNamed, tableOf } from '../model/model';
import { type Model } from '../types/model';
import { dyes } from '../types/field';
import { withoutInternal } from '../parts/visible';
import { sharedViews, shownColumns, totalsFor, viewOfAll, wholeView } from './view';
import { groupSteps, isSortable } from '../query/sortable';
import type { View } from '../types/view';
import { viewKinds } from './kinds';
import { readView, viewAddress, viewAt, viewJson, type ViewJson } from './viewJson';

const model = alderfold();
const hives = tableNamed(model, 'hives')!;
const conditions = [
  "state = 'weak'",
  'weight > 12.5',
  'last_inspected < today() - 14',
  "apiary.name = 'Low Meadow' or not exists(inspections)",
  '',
];

/** Views as people make them: any columns in any order, conditions, orders, groups. */
const written: fc.Arbitrary<ViewJson> = fc.record({
  label: fc.constantFrom('Due', 'Heavy ones'),
  kind: fc.constantFrom(...viewKinds),
  columns: fc.shuffledSubarray([...hives.fields]).chain((fields) =>
    fc
      .tuple(
        ...fields.map((field) =>
          fc.record(
            {
              field: fc.constant(field.key),
              hidden: fc.constant(true as const),
              width: fc.integer({ min: 40, max: 900 }),
              total: fc.constantFrom(undefined, ...totalsFor(field)),
            },
            { requiredKeys: ['field'] },
          ),
        ),
      )
      .map((columns) => columns.map(({ total, ...rest }) => (total ? { ...rest, total } : rest))),
  ),
  takesNew: fc.boolean(),
  frozen: fc.integer({ min: 0, max: 4 }),
  lines: fc.constantFrom(1 as const, 2 as const, 4 as const),
  filter: fc.constantFrom(...conditions),
  sort: fc.constantFrom(
    '',
    'number',
    '-weight,number',
    'apiary',
    'last_inspected:month,-number',
    '-apiary.name,apiary',
  ),
  groups: fc.constantFrom('', 'apiary', '-state,last_inspected:quarter', 'apiary.name,last_inspected:month'),
  colours: fc.array(
    fc.record({ when: fc.constantFrom(...conditions.filter(Boolean)), dye: fc.constantFrom(...dyes) }),
    { maxLength: 3 },
  ),
  by: fc.constant(null),
  until: fc.constant(null),
  picture: fc.constant(null),
});

const read = (json: ViewJson, id = 'v_one', within: Model = model): View => {
  const view = readView(within, tableOf(within, 't_hive'), id, json);
  if (!view.ok) throw new Error(view.problem.message);
  return view.value;
};

describe('a view in writing', () => {
  test('is read as it was written, and written as it was read', () => {
    fc.assert(
      fc.property(written, (json) => {
        const view = read(json);
        const again = viewJson(model, hives, view);
        expect(again.lost).toEqual([]);
        expect(read(again.view)).toEqual(view);
      }),
    );
  });

  test('an address says what differs from the saved one, and nothing else', () => {
    fc.assert(
      fc.property(written, written, (saved, now) => {
        const said = viewAddress(saved, now);
        expect(viewAt(saved, new URLSearchParams(said))).toEqual({ ...now, label: saved.label });
        expect(viewAddress(saved, saved)).toEqual({});
      }),
    );
  });

  const whole = viewJson(model, hives, viewOfAll()).view;
  test.each<[string, Partial<ViewJson>, string]>([
    ['a filter over what is not there', { filter: 'wieght > 1' }, '/filter'],
    ['a filter that is no condition', { filter: 'weight' }, '/filter'],
    ['an order by the other side of a link', { sort: 'inspections' }, '/sort'],
    ['a step that is none of the field', { groups: 'weight:month' }, '/groups'],
    ['four groups', { groups: 'apiary,state,weight,number' }, '/groups'],
    ['a column that is not there', { columns: [{ field: 'colour' }] }, '/columns/0/field'],
    ['the sum of texts', { columns: [{ field: 'number', total: 'sum' }] }, '/columns/0/total'],
    ['a column twice', { columns: [{ field: 'number' }, { field: 'number' }] }, '/columns'],
    ['a colour for no condition', { colours: [{ when: 'weight +', dye: 'moss' }] }, '/colours/0/when'],
    ['a board by a number', { kind: 'board', by: 'weight' }, '/by'],
    ['a calendar by a text', { kind: 'calendar', by: 'number' }, '/by'],
    ['pictures in a number', { picture: 'weight' }, '/picture'],
  ])('%s is refused at its place', (_, change, at) => {
    const result = readView(model, hives, 'v_one', { ...whole, ...change });
    expect(result.ok ? null : result.problem.at).toBe(at);
  });
});

describe('a view whose fields change', () => {
  const view = read({
    ...viewJson(model, hives, viewOfAll()).view,
    columns: [{ field: 'number' }, { field: 'weight', width: 90 }],
    filter: 'weight > 2',
    sort: '-weight',
    takesNew: false,
  });
  const add: Change = { do: 'addPart', kind: 'view', table: 't_hive', part: view, at: 0 };
  const after = (...changes: Change[]): Model => {
    const applied = applyChanges(model, [add, ...changes]);
    if (!applied.ok) throw new Error(applied.problem.message);
    return applied.value.model;
  };
  const now = (within: Model) =>
    viewJson(within, tableOf(within, 't_hive'), partsOf(tableOf(within, 't_hive'), 'view')[0] ?? viewOfAll());

  test('follows a renamed key', () => {
    expect(
      now(after({ do: 'changeField', table: 't_hive', field: 'f_weight', set: { key: 'kilos' } })).view,
    ).toMatchObject({
      filter: 'kilos > 2',
      sort: '-kilos',
      columns: [{ field: 'number' }, { field: 'kilos', width: 90 }],
    });
  });

  test('passes over one that is deleted, says so, and has it again when it comes back', () => {
    const remove: Change = { do: 'removeField', table: 't_hive', field: 'f_weight' };
    const without = after(remove);
    expect(now(without)).toMatchObject({ view: { filter: '', sort: '', columns: [{ field: 'number' }] } });
    expect(now(without).lost).toHaveLength(3);
    const back = applyChanges(without, invertChange(after(), remove));
    expect(back.ok && now(back.value.model)).toEqual(now(after()));
  });

  test('says that a filter no longer fits the type of what it reads', () => {
    const changed = after({
      do: 'changeField',
      table: 't_hive',
      field: 'f_weight',
      set: { type: { kind: 'text' } },
      keep: 'k_1',
    });
    expect(now(changed)).toMatchObject({
      view: { filter: '', sort: '-weight' },
      lost: [expect.stringContaining('the filter')],
    });
  });

  test('follows a text that becomes a link', () => {
    const texts = applyChanges(model, [
      {
        do: 'addField',
        table: 't_hive',
        at: 1,
        field: {
          id: 'f_place',
          key: 'place',
          label: 'Place',
          help: '',
          required: false,
          unique: false,
          type: { kind: 'text' },
        },
      },
    ]);
    if (!texts.ok) throw new Error();
    const within = texts.value.model;
    const own = read(
      {
        ...viewJson(within, tableOf(within, 't_hive'), viewOfAll()).view,
        columns: [{ field: 'place', width: 200 }],
        filter: "place = 'Fell Gate'",
        groups: 'place',
      },
      'v_p',
      within,
    );
    const shown = applyChanges(within, [{ do: 'addPart', kind: 'view', table: 't_hive', part: own, at: 0 }]);
    if (!shown.ok) throw new Error();
    const turned = changesTextToLink(shown.value.model, 't_hive', 'f_place', { to: 't_apiary', match: 'f_a_name' });
    if (!turned.ok) throw new Error(turned.problem.message);
    const linked = applyChanges(shown.value.model, turned.value);
    if (!linked.ok) throw new Error(linked.problem.message);
    expect(now(linked.value.model)).toMatchObject({
      lost: [],
      view: { filter: "place.name = 'Fell Gate'", groups: 'place', columns: [{ field: 'place', width: 200 }] },
    });
  });

  test('keeps from readers what it says of internal fields', () => {
    const internal = after({ do: 'changeField', table: 't_hive', field: 'f_weight', set: { internal: true } });
    expect(JSON.stringify(withoutInternal(internal))).not.toContain('f_weight"},"');
    expect(partsOf(tableOf(withoutInternal(internal), 't_hive'), 'view')[0]?.filter).toBeNull();
  });

  test('a new field joins the views that take new ones', () => {
    const field = {
      id: 'f_new',
      key: 'temper',
      label: 'Temper',
      help: '',
      required: false,
      unique: false,
      type: { kind: 'rating', most: 5 },
    } as const;
    const [all, due] = sharedViews(tableOf(after({ do: 'addField', table: 't_hive', at: 0, field }), 't_hive')).map(
      (one) =>
        shownColumns(tableOf(after({ do: 'addField', table: 't_hive', at: 0, field }), 't_hive'), one).map(
          (column) => column.field.key,
        ),
    );
    expect(all).toContain('temper');
    expect(due).toEqual(['number', 'weight']);
  });
});

describe('changes of views', () => {
  test('are undone by their inverse, in any order', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.constantFrom('add', 'change', 'remove'), written, fc.nat({ max: 3 })), { maxLength: 12 }),
        (steps) => {
          const changes: Change[] = [];
          let current = model;
          for (const [index, [what, json, at]] of steps.entries()) {
            const views = partsOf(tableOf(current, 't_hive'), 'view');
            const named = { ...json, label: `${json.label} ${index}` };
            const one = views[at % Math.max(1, views.length)];
            const change: Change | null =
              what === 'add'
                ? {
                    do: 'addPart',
                    kind: 'view',
                    table: 't_hive',
                    part: read(named, `v_${index}`),
                    at: Math.min(at, views.length),
                  }
                : !one
                  ? null
                  : what === 'change'
                    ? {
                        do: 'changePart',
                        kind: 'view',
                        table: 't_hive',
                        part: read(named, one.id),
                        at: at % views.length,
                      }
                    : { do: 'removePart', kind: 'view', table: 't_hive', part: one.id };
            if (!change) continue;
            const applied = applyChanges(current, [change]);
            if (!applied.ok) throw new Error(applied.problem.message);
            current = applied.value.model;
            changes.push(change);
          }
          const all = applyChanges(model, changes);
          if (!all.ok) throw new Error();
          expect(all.value.model).toEqual(current);
          const back = applyChanges(current, all.value.inverse);
          expect(back.ok && back.value.model).toEqual(model);
        },
      ),
    );
  });

  test.each<[string, Change]>([
    [
      'a name that is taken',
      { do: 'addPart', kind: 'view', table: 't_hive', part: { ...viewOfAll(), id: 'v_2', label: 'heavy' }, at: 0 },
    ],
    [
      'no name',
      { do: 'addPart', kind: 'view', table: 't_hive', part: { ...viewOfAll(), id: 'v_2', label: ' ' }, at: 0 },
    ],
    ['one that stands', { do: 'addPart', kind: 'view', table: 't_hive', part: { ...viewOfAll(), id: 'v_1' }, at: 0 }],
    ['one that is not there', { do: 'changePart', kind: 'view', table: 't_hive', part: { ...viewOfAll(), id: 'v_3' } }],
    ['none to remove', { do: 'removePart', kind: 'view', table: 't_hive', part: 'v_3' }],
  ])('%s is refused', (_, change) => {
    const first: Change = {
      do: 'addPart',
      kind: 'view',
      table: 't_hive',
      part: { ...viewOfAll(), id: 'v_1', label: 'Heavy' },
      at: 0,
    };
    expect(applyChanges(model, [first, change]).ok).toBe(false);
  });

  test('the view of all records is there without being written', () => {
    expect(sharedViews(hives).map(({ id }) => id)).toEqual([wholeView]);
    const saved = applyChanges(model, [
      { do: 'addPart', kind: 'view', table: 't_hive', part: { ...viewOfAll(), frozen: 2 }, at: 0 },
    ]);
    expect(saved.ok && sharedViews(tableOf(saved.value.model, 't_hive')).map(({ frozen }) => frozen)).toEqual([2]);
  });
});

test('every field that can be sorted can be grouped, but long texts and files', () => {
  for (const table of model.tables)
    for (const field of table.fields.filter(isSortable))
      expect(groupSteps(model, field).length > 0, field.key).toBe(
        field.type.kind !== 'longText' && field.type.kind !== 'files',
      );
});
