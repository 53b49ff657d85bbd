import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { applyChanges } from '../changes/change';
import { tableNamed } from '../model/model';
import type { Change } from '../types/change';
import type { Model, Table } from '../types/model';
import type { Routine } from '../types/routine';
import { lostIn, printRoutine, readRoutine, sentenceOf, writtenBy } from './routine';

const model = alderfold();
const table = (key: string, of: Model = model): Table => tableNamed(of, key)!;
const set = { do: 'set', fields: [{ field: 'state', formula: "'weak'" }] };

function known(json: object, of = 'hives', over: Model = model): Routine {
  const result = readRoutine(over, table(of, over), 'a_1', { label: 'A', ...json });
  if (!result.ok) throw new Error(`${String(result.problem.at)}: ${result.problem.message}`);
  return result.value;
}

const written: [string, string, object, string][] = [
  [
    'hives',
    'a changed field, found records that are made where there are none, and what the step behind reads of them',
    {
      when: { on: 'changed', fields: ['weight', 'last_inspected'] },
      where: 'weight > 3',
      steps: [
        {
          do: 'find',
          table: 'apiaries',
          by: [{ field: 'name', formula: "coalesce(number, 'x')" }],
          make: true,
          fields: [],
          link: 'apiary',
          result: 'Place',
        },
        { do: 'set', fields: [{ field: 'number', formula: 'place.name' }] },
        { do: 'set', of: 'place', fields: [{ field: 'name', formula: "number || '!'" }] },
        { do: 'stop', when: 'place.hives is null' },
      ].slice(0, 3),
    },
    'When Weight or Last inspected of Hives changes, if weight is above 3: find the record of Apiaries where Name is ' +
      "number, or 'x' where that is blank (make it when there is none) and point Apiary at it; then set Number to name " +
      "of the place; then in Place set Name to number followed by '!'.",
  ],
  [
    'inspections',
    'a condition that comes true, linked records, a message',
    {
      when: { on: 'comesTrue', condition: 'frames < 3' },
      where: '',
      steps: [
        {
          do: 'each',
          over: 'hive',
          result: 'Visit',
          steps: [
            { do: 'set', fields: [{ field: 'weight', formula: 'visit.frames' }] },
            {
              do: 'write',
              to: [{ person: 4 }, { formula: 'visit.keeper.name' }],
              subject: 'Few {{frames} of {number}',
              text: "On {visit.day}: {case when visit.frames = 1 then '}' else 'many' end}",
            },
          ],
        },
        { do: 'call', address: 'https://bees.example/{keeper.name}', values: { n: 'frames' } },
      ],
    },
    'When for a record of Inspections it comes true that frames is below 3: for each of Hive: set Weight to frames of ' +
      'the visit; then write to a person and name of the keeper of the visit: “Few {frames} of {number}”; then call ' +
      'https://bees.example/{name of the keeper} with n.',
  ],
  [
    'hives',
    'a button that asks, words of a list, an option',
    {
      when: {
        on: 'button',
        inputs: [
          { label: 'Helper', type: 'link', to: 'keepers', required: true },
          { label: 'Days of it', type: 'text' },
        ],
      },
      where: '',
      steps: [
        { do: 'option', table: 'hives', field: 'state', word: 'helper.name' },
        { do: 'make', table: 'inspections', fields: [{ field: 'hive', formula: 'hive' }], result: 'Visit' },
      ].slice(0, 1),
    },
    'By hand for records of Hives, asking for Helper and Days of it: add name of the helper to the options of State in ' +
      'Hives.',
  ],
  [
    'inspections',
    'a day that comes near',
    {
      when: { on: 'dateNear', field: 'day', days: -3, hour: 7 },
      where: '',
      steps: [{ do: 'set', of: 'hive', fields: [{ field: 'state', formula: "'weak'" }] }],
    },
    '3 days before Day of Inspections, at 7:00: in Hive set State to “weak”.',
  ],
  ['hives', 'a timetable', { when: { on: 'timetable', every: 'week', day: 2, hour: 18 }, where: '', steps: [set] }, ''],
];

test.each(written)('of %s with %s is read, written as it was, and said in a sentence', (of, _, json, sentence) => {
  const routine = known(json, of);
  const printed = printRoutine(model, table(of), routine);
  expect(printed).toMatchObject({ ...json, label: 'A', on: false, failing: 'refuse' });
  expect(printRoutine(model, table(of), known(printed, of))).toEqual(printed);
  if (sentence !== '') expect(sentenceOf(model, table(of), routine)).toBe(sentence);
  expect(lostIn(model, table(of), routine)).toEqual([]);
});

test.each<[string, object, RegExp]>([
  ['nothing that happens', { when: { on: 'full moon' }, steps: [set] }, /\/when\/on: .*“full moon”/],
  ['no step', { when: { on: 'made' }, steps: [] }, /\/steps: There is no step/],
  ['an unknown step', { when: { on: 'made' }, steps: [{ do: 'fly' }] }, /\/steps\/0\/do: There is no step “fly”/],
  [
    'a result that comes only later',
    { when: { on: 'made' }, steps: [{ do: 'set', fields: [{ field: 'number', formula: 'place.name' }] }] },
    /\/steps\/0\/fields\/0\/formula/,
  ],
  [
    'a calculated field to set',
    { when: { on: 'made' }, steps: [{ do: 'set', fields: [{ field: 'last_inspected', formula: 'today()' }] }] },
    /not filled in by people/,
  ],
  [
    'a server that a record names',
    { when: { on: 'made' }, steps: [{ do: 'call', address: 'https://{number}.example/' }] },
    /whose server/,
  ],
  [
    'a brace that stays open',
    { when: { on: 'made' }, steps: [{ do: 'write', to: [{ person: 1 }], subject: 'a {number', text: '' }] },
    /\/steps\/0\/subject: A brace/,
  ],
  ['an hour of 25', { when: { on: 'timetable', every: 'day', hour: 25 }, steps: [set] }, /0 to 23/],
  [
    'a condition of who looks',
    { when: { on: 'comesTrue', condition: 'person() is null' }, steps: [set] },
    /everybody who looks/,
  ],
  [
    'steps that stand too deep',
    {
      when: { on: 'made' },
      steps: [1, 2, 3, 4].reduce<object[]>(
        (steps, at) => [{ do: 'each', over: at % 2 === 1 ? 'hive' : 'inspections', steps }],
        [{ do: 'stop', when: 'true' }],
      ),
    },
    /too deep|leads to no records/,
  ],
])('is refused with its place: %s', (_, json, why) => {
  expect(() => known(json)).toThrow(why);
});

describe('a routine in the model', () => {
  const add = (routine: Routine): Change =>
    ({ do: 'addPart', kind: 'routine', table: 't_hive', part: routine, at: 0 }) as Change;
  const routine = known({
    when: { on: 'changed', fields: ['weight'] },
    steps: [
      { do: 'make', table: 'inspections', fields: [{ field: 'frames', formula: 'weight' }], result: 'Visit' },
      { do: 'set', fields: [{ field: 'number', formula: 'cast(visit.frames as text)' }] },
    ],
  });
  test('says what it writes, follows a rename, and says what it lost', () => {
    expect([...writtenBy(routine)].sort()).toEqual(['f_frames', 'f_number']);
    const made = applyChanges(model, [
      add(routine),
      { do: 'changeField', table: 't_inspection', field: 'f_frames', set: { key: 'combs', label: 'Combs' } },
    ]);
    if (!made.ok) throw new Error(made.problem.message);
    const renamed = made.value.model;
    const printed = printRoutine(renamed, table('hives', renamed), routine);
    expect(printed.steps).toMatchObject([
      { fields: [{ field: 'combs' }] },
      { fields: [{ formula: 'cast(visit.combs as text)' }] },
    ]);
    const gone = applyChanges(renamed, [{ do: 'removeField', table: 't_inspection', field: 'f_frames' }]);
    if (!gone.ok) throw new Error(gone.problem.message);
    const left = gone.value.model;
    expect(lostIn(left, table('hives', left), routine)).toEqual(['it uses a field that is gone']);
    expect(printRoutine(left, table('hives', left), routine).steps).toMatchObject([{ fields: [] }, {}]);
  });
});
