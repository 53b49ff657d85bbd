import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../../tests/alderfold';
import { changesToAddLink } from '$core/changes/linkPlans';
import { applyChanges } from '$core/changes/change';
import { fieldOf, tableNamed } from '$core/model/model';
import { addFieldChange, changeFieldChanges, draftOf, emptyDraft, waitingWords } from './draft';
import type { ChangeDraft, FieldDraft } from '../../fieldTypes/fieldDraft';
import { joined, optionsOfValues } from '../../fieldTypes/kinds/optionList';

const model = alderfold();
const draft = (id: string) => draftOf(model, fieldOf(model, id).field);

describe('a field in the form', () => {
  test.each<[string, Partial<FieldDraft>]>([
    ['f_weight', { type: 'number', digits: '', unit: '' }],
    ['f_inspection_hive', { type: 'link', to: 'hives', onDelete: 'remove', counterpart: 'Inspections', many: false }],
    ['f_hives_last_inspected', { type: 'formula', formula: 'max(inspections.day)' }],
    ['f_number', { type: 'text', unique: true, key: 'number' }],
  ])('%s', (id, expected) => {
    expect(draft(id)).toMatchObject(expected);
  });

  test('options keep their identity', () => {
    expect(draft('f_state')?.options.map(({ id, label }) => [id, label])).toEqual([
      ['strong', 'strong'],
      ['weak', 'weak'],
    ]);
  });

  test('the other side of a link has no form of its own; a link to many has', () => {
    expect(draft('f_hive_inspection')).toBeNull();
    const hives = tableNamed(model, 'hives')!;
    const wish = {
      table: hives.id,
      at: 0,
      to: 't_keeper',
      field: { key: 'helpers', label: 'Helpers', help: '', required: false, unique: false },
      onDelete: 'clear',
      many: true,
    } as const;
    const made = changesToAddLink(model, wish);
    const after = applyChanges(model, made.changes);
    if (!after.ok) throw new Error(after.problem.message);
    expect(draftOf(after.value.model, fieldOf(after.value.model, made.field).field)).toMatchObject({
      type: 'link',
      many: true,
      to: 'keepers',
      onDelete: 'clear',
      counterpart: 'Hives',
    });
  });

  const option = (label: string, id?: string, into = '') => ({
    ...(id ? { id } : {}),
    label,
    dye: 'moss' as const,
    retired: false,
    into,
  });
  test.each<[string, Partial<FieldDraft>, object[]]>([
    ['f_weight', {}, []],
    ['f_weight', { label: 'Mass', key: 'mass' }, [{ do: 'changeField', set: { label: 'Mass', key: 'mass' } }]],
    ['f_weight', { digits: '2', unit: 'kg' }, [{ do: 'changeField', set: { type: 'number', digits: 2, unit: 'kg' } }]],
    ['f_weight', { type: 'text', required: true }, [{ do: 'changeField', set: { type: 'text', required: true } }]],
    [
      'f_number',
      { type: 'date', dateOrder: 'dmy' },
      [{ do: 'changeField', set: { type: 'date' }, reading: { decimal: '.', dateOrder: 'dmy' } }],
    ],
    [
      'f_state',
      { options: [option('strong', 'strong'), option('weak', 'weak'), option(' new ')] },
      [{ do: 'changeField', set: { type: 'option', options: [{ id: 'strong' }, { id: 'weak' }, { label: 'new' }] } }],
    ],
    [
      'f_state',
      { options: [{ ...option('strong', 'strong') }, { ...option('weak', 'weak', 'strong'), dye: 'rust' }] },
      [{ do: 'mergeOptions', from: ['weak'], into: 'strong' }],
    ],
    ['f_inspection_hive', { onDelete: 'clear' }, [{ do: 'changeField', set: { type: 'link', onDelete: 'clear' } }]],
    ['f_inspection_hive', { many: true }, [{ do: 'linkToMany' }]],
    [
      'f_inspection_hive',
      { type: 'text', label: 'Hive no' },
      [{ do: 'changeField', set: { label: 'Hive no' } }, { do: 'linkToText' }],
    ],
    ['f_inspection_hive', { type: 'option' }, [{ do: 'linkToOption' }]],
    [
      'f_number',
      {
        type: 'option',
        options: joined(
          optionsOfValues([
            { label: 'H-1', count: 3, near: null },
            { label: 'h 1', count: 2, near: 'H-1' },
          ]),
          1,
          'H-1',
        ),
      },
      [{ do: 'changeField', set: { type: 'option', options: [{ label: 'H-1', also: ['h 1'] }] } }],
    ],
    [
      'f_number',
      { type: 'link', to: 'keepers', missing: 'create' },
      [{ do: 'textToLink', to: 'keepers', missing: 'create', many: false }],
    ],
    [
      'f_hives_last_inspected',
      { formula: 'min(inspections.day)' },
      [{ do: 'changeField', set: { type: 'formula', formula: 'min(inspections.day)' } }],
    ],
    ['f_weight', { preset: 'value', presetText: '12' }, [{ do: 'changeField', set: { default: { value: 12 } } }]],
    ['f_weight', { off: true, internal: true }, [{ do: 'changeField', set: { off: true, internal: true } }]],
  ])('%s changed by %j', (id, change, expected) => {
    const before = draft(id)!;
    const made = changeFieldChanges('hives', id, before, { ...before, ...change });
    expect(made).toHaveLength(expected.length);
    expect(made).toMatchObject(expected.map((one) => ({ table: 'hives', field: id, ...one })));
  });

  test('a new field and what waits, in words', () => {
    const added = addFieldChange('hives', {
      ...emptyDraft(),
      label: 'Apiary',
      type: 'link',
      to: 'apiaries',
      counterpart: 'Hives',
      brings: ['name'],
    });
    expect(added).toEqual({
      do: 'addField',
      table: 'hives',
      field: {
        label: 'Apiary',
        type: 'link',
        to: 'apiaries',
        onDelete: 'prevent',
        shows: [],
        candidates: '',
        counterpart: { label: 'Hives' },
        brings: ['name'],
      },
    });
    const words: ChangeDraft[] = [
      added,
      { do: 'changeField', field: 'f_weight', set: { label: 'x', key: 'y' } },
      { do: 'removeField', field: 'f_weight' },
      { do: 'moveField', field: 'f_weight' },
      { do: 'removeTable' },
      { do: 'addRule', message: 'Not so heavy.' },
    ];
    const { fields } = tableNamed(model, 'hives')!;
    expect(words.map((one) => waitingWords(one, fields))).toEqual([
      '+ Apiary',
      'Weight: label, key',
      '− Weight',
      'Weight moved',
      '− the table',
      '+ rule “Not so heavy.”',
    ]);
  });
});
