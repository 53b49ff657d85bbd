import { describe, expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { fieldOf, tableNamed } from '$core/model/model';
import { addFieldChange, changeFieldChange, draftOf, emptyDraft, waitingWords, type FieldDraft } from './draft';

const model = alderfold();
const draft = (id: string) => draftOf(model, fieldOf(model, id).field);

describe('a field in the form', () => {
  test.each<[string, Partial<FieldDraft>]>([
    ['f_weight', { type: 'number', digits: '', unit: '' }],
    ['f_state', { type: 'option', options: 'strong\nweak' }],
    ['f_inspection_hive', { type: 'link', to: 'hives', onDelete: 'remove', counterpart: 'Inspections' }],
    ['f_hives_last_inspected', { type: 'formula', formula: 'max(inspections.day)' }],
    ['f_number', { type: 'text', unique: true, key: 'number' }],
  ])('%s', (id, expected) => {
    expect(draft(id)).toMatchObject(expected);
  });

  test('the other side of a link has no form of its own', () => {
    expect(draft('f_hive_inspection')).toBeNull();
  });

  test.each<[string, Partial<FieldDraft>, object | null]>([
    ['f_weight', {}, null],
    ['f_weight', { label: 'Mass', key: 'mass' }, { label: 'Mass', key: 'mass' }],
    ['f_weight', { digits: '2', unit: 'kg' }, { type: 'number', digits: 2, unit: 'kg' }],
    ['f_weight', { type: 'text', required: true }, { type: 'text', required: true }],
    ['f_state', { options: 'strong\n\n weak \nstrong\nnew' }, { type: 'option', options: ['strong', 'weak', 'new'] }],
    ['f_inspection_hive', { onDelete: 'clear' }, { type: 'link', onDelete: 'clear' }],
    ['f_hives_last_inspected', { formula: 'min(inspections.day)' }, { type: 'formula', formula: 'min(inspections.day)' }],
  ])('%s changed by %j', (id, change, set) => {
    const before = draft(id)!;
    const made = changeFieldChange('hives', before, { ...before, ...change });
    expect(made).toEqual(set && { do: 'changeField', table: 'hives', field: before.key, set });
  });

  test('a new field and what waits, in words', () => {
    const added = addFieldChange('hives', { ...emptyDraft(), label: 'Apiary', type: 'link', to: 'apiaries', counterpart: 'Hives' });
    expect(added).toEqual({
      do: 'addField',
      table: 'hives',
      field: { label: 'Apiary', help: '', required: false, unique: false, type: 'link', to: 'apiaries', onDelete: 'prevent', counterpart: { label: 'Hives' } },
    });
    expect(tableNamed(model, 'hives')?.key).toBe('hives');
    const words = [
      added,
      { do: 'changeField', field: 'weight', set: { label: 'x', key: 'y' } },
      { do: 'removeField', field: 'weight' },
      { do: 'moveField', field: 'weight' },
      { do: 'removeTable' },
    ];
    expect(words.map(waitingWords)).toEqual(['+ Apiary', 'weight: label, key', '− weight', 'weight moved', '− the table']);
  });
});
