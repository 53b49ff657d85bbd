import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { tableNamed } from '$core/model/model';
import type { FormJson } from '$core/forms/formJson';
import { conditionPaths } from '$core/query/conditions';
import { alderfold } from '../../../../../tests/alderfold';
import {
  addItem,
  addSection,
  askable,
  changeItem,
  chosenBy,
  emptyDesign,
  itemName,
  moveItem,
  moveSection,
  newItem,
  placeOf,
  removeItem,
  removeSection,
  stepFrom,
  unplaced,
  type Chosen,
} from './design';

const model = alderfold();
const hives = tableNamed(model, 'hives')!;
const made = (...sections: string[][]): FormJson => ({
  ...emptyDesign('inside'),
  sections: sections.map((items) => ({
    label: '',
    about: '',
    columns: 1,
    shownIf: '',
    items: items.map((field) => ({ field })),
  })),
});
const names = ({ sections }: FormJson) => sections.map(({ items }) => items.map(itemName).join(''));

describe('a design', () => {
  test.each<[string, FormJson, string[]]>([
    [
      'an item before another',
      moveItem(made(['a', 'b', 'c']), { section: 0, index: 2 }, { section: 0, index: 0 }),
      ['cab'],
    ],
    [
      'an item behind the last',
      moveItem(made(['a', 'b', 'c']), { section: 0, index: 0 }, { section: 0, index: 3 }),
      ['bca'],
    ],
    ['an item to where it is', moveItem(made(['a', 'b']), { section: 0, index: 0 }, { section: 0, index: 1 }), ['ab']],
    [
      'an item to another section',
      moveItem(made(['a', 'b'], ['c']), { section: 0, index: 0 }, { section: 1, index: 1 }),
      ['b', 'ca'],
    ],
    ['nothing from nowhere', moveItem(made(['a']), { section: 4, index: 0 }, { section: 0, index: 0 }), ['a']],
    ['an item off', removeItem(made(['a', 'b']), { section: 0, index: 0 }), ['b']],
    ['an item on', addItem(made(['a'], []), { field: 'x' }, { section: 1, index: 0 }), ['a', 'x']],
    ['a section between', addSection(made(['a'], ['b']), 1), ['a', '', 'b']],
    ['a section away', removeSection(made(['a'], ['b']), 0), ['b']],
    ['the last section away', removeSection(made(['a']), 0), ['']],
    ['a section down', moveSection(made(['a'], ['b']), 0, 1), ['b', 'a']],
    ['a section past the end', moveSection(made(['a'], ['b']), 1, 1), ['a', 'b']],
  ])('puts %s', (_, form, expected) => expect(names(form)).toEqual(expected));

  test('step by step an item reaches every place, and comes back the same way', () => {
    const sections = fc.array(fc.integer({ min: 0, max: 3 }), { minLength: 1, maxLength: 4 });
    fc.assert(
      fc.property(sections, (sizes) => {
        let letter = 0;
        const start = made(
          ['X'],
          ...sizes.map((size) => Array.from({ length: size }, () => String.fromCharCode(97 + letter++))),
        );
        const walk = (form: FormJson, by: -1 | 1): FormJson[] => {
          const at = placeOf(form, 'X')!;
          const to = stepFrom(form, at, by);
          return to ? [form, ...walk(moveItem(form, at, to), by)] : [form];
        };
        const down = walk(start, 1);
        expect(down).toHaveLength(1 + sizes.reduce((sum, size) => sum + size + 1, 0));
        const up = walk(down.at(-1)!, -1);
        expect(up.map(names)).toEqual(down.map(names).toReversed());
      }),
    );
  });

  test.each<[string | undefined, Chosen]>([
    ['/label', { kind: 'form' }],
    [undefined, { kind: 'form' }],
    ['/sections/1', { kind: 'section', at: 1 }],
    ['/sections/1/shownIf', { kind: 'section', at: 1 }],
    ['/sections/1/items/1/offers', { kind: 'item', name: 'c' }],
    ['/sections/1/items/9', { kind: 'section', at: 1 }],
  ])('a problem at %s is one of %o', (at, chosen) =>
    expect(chosenBy(made(['a'], ['b', 'c']), { message: '', at })).toEqual(chosen),
  );

  test('settings that are empty go', () =>
    expect(
      changeItem(
        { ...made(['a']), sections: [{ ...made(['a']).sections[0]!, items: [{ field: 'a', label: 'A', help: 'x' }] }] },
        { section: 0, index: 0 },
        { label: '', help: undefined, wide: true },
      ).sections[0]?.items,
    ).toEqual([{ field: 'a', wide: true }]));

  test('says what is not on it: lists for inside alone, nothing that is calculated', () => {
    expect(unplaced(hives, made(['number'])).map(({ field }) => field.key)).toEqual([
      'inspections',
      'apiary',
      'weight',
      'state',
    ]);
    expect(unplaced(hives, { ...made(['number']), audience: 'outside' }).map(({ field }) => field.key)).toEqual([
      'apiary',
      'weight',
      'state',
    ]);
    expect(hives.fields.filter(({ key }) => key === 'inspections').map(newItem)).toEqual([{ list: 'inspections' }]);
  });

  test('a condition can ask about what is filled in above it, and follows no links', () => {
    const form = made(['number', 'apiary'], ['state', 'weight']);
    const asked = askable(model, hives, form, { section: 1, index: 1 });
    expect(conditionPaths(asked.model, asked.table).map(({ path }) => path)).toEqual(['number', 'apiary', 'state']);
    expect(askable(model, hives, form, { section: 0, index: 0 }).table.fields).toEqual([]);
  });
});
