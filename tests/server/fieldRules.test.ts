import { describe, expect, test } from 'vitest';
import { alderfold } from '../alderfold';
import { applyChanges } from '$core/changes/change';
import { fieldNamed, tableNamed } from '$core/model/model';
import type { Model } from '$core/types/model';
import { plainReading } from '$core/fieldTypes/kind';
import { changesFromJson, type ChangeJson } from '$server/api/changes/changes';
import { addFieldChange, draftOf, emptyDraft } from '$ui/structure/field/draft';
import type { ChangeDraft, FieldDraft, FieldRules } from '$ui/fieldTypes/fieldDraft';
import { fittingRules, noRules, ruleChanges } from '$ui/structure/field/fieldRules';

const start = alderfold();
const draftAt = (model: Model, key: string) => draftOf(model, fieldNamed(tableNamed(model, 'hives')!, key)!)!;
const german = { ...plainReading, decimal: ',' as const, dateOrder: 'dmy' as const };

/** The model after the changes that the form sends, as the server takes them. */
function after(model: Model, changes: readonly ChangeDraft[]): Model {
  if (changes.length === 0) return model;
  const applied = applyChanges(model, changesFromJson(model, changes as unknown as ChangeJson[]));
  if (!applied.ok) throw new Error(applied.problem.message);
  return applied.value.model;
}

/** The field with these rules, put there by its form, and what the form then shows. */
function put(model: Model, key: string, rules: Partial<FieldRules>, reading = plainReading) {
  const before = draftAt(model, key);
  const changes = ruleChanges(
    model,
    tableNamed(model, 'hives')!,
    before,
    { ...before, rules: { ...before.rules, ...rules } },
    reading,
  );
  return { changes, model: after(model, changes) };
}
const messages = (model: Model) => (tableNamed(model, 'hives')?.rules ?? []).map(({ message }) => message);

describe('the rules of a field in its form', () => {
  test.each<[string, Partial<FieldRules>, Partial<FieldRules>, string]>([
    [
      'weight',
      { least: '10', greatest: '62,5' },
      { least: '10', greatest: '62.5' },
      'Weight must be between 10 and 62,5.',
    ],
    ['weight', { greatest: '80' }, { least: '', greatest: '80' }, 'Weight must be at most 80.'],
    ['number', { pattern: "H-'__" }, { pattern: "H-'__" }, "Number must look like H-'__."],
  ])('%s %j comes back as it was, is changed and taken away', (key, rules, shown, message) => {
    const made = put(start, key, rules, german);
    expect(messages(made.model)).toEqual([message]);
    expect(draftAt(made.model, key).rules).toEqual({ ...noRules(), ...shown });
    // Left as it is, nothing changes; emptied, the rule is gone.
    expect(put(made.model, key, {}).changes).toEqual([]);
    expect(messages(put(made.model, key, noRules()).model)).toEqual([]);
    const other = put(made.model, key, key === 'number' ? { pattern: 'B%' } : { least: '1', greatest: '' });
    expect(messages(other.model)).toEqual([
      key === 'number' ? 'Number must look like B%.' : 'Weight must be at least 1.',
    ]);
  });

  test('unique together, by identity', () => {
    const weight = fieldNamed(tableNamed(start, 'hives')!, 'weight')!.id;
    const made = put(start, 'number', { together: [weight] });
    expect(draftAt(made.model, 'number').rules.together).toEqual([weight]);
    expect(draftAt(made.model, 'weight').rules.together).toHaveLength(1);
    expect(messages(put(made.model, 'weight', { together: [] }).model)).toEqual([]);
  });

  test('a message that somebody wrote stays when the rule changes', () => {
    const wrote = after(start, [
      { do: 'addRule', table: 'hives', message: 'Nobody lifts that.', condition: 'weight <= 80' },
    ]);
    expect(messages(put(wrote, 'weight', { greatest: '90' }).model)).toEqual(['Nobody lifts that.']);
  });

  test('a rule that says more stays in the list of rules alone', () => {
    const more = after(start, [
      { do: 'addRule', table: 'hives', message: 'Odd', condition: 'weight <= 80 or weight > 90' },
    ]);
    expect(draftAt(more, 'weight').rules).toEqual(noRules());
    expect(messages(put(more, 'weight', { greatest: '100' }).model)).toEqual(['Odd', 'Weight must be at most 100.']);
  });

  test('a new field has its rules from the start; a share is read in hundredths', () => {
    const draft: FieldDraft = {
      ...emptyDraft(),
      label: 'Share of brood',
      key: 'share_of_brood',
      type: 'percent',
      rules: { ...noRules(), least: '5', greatest: '30 %' },
    };
    const hives = tableNamed(start, 'hives')!;
    const model = after(start, [
      addFieldChange('hives', draft),
      ...ruleChanges(start, hives, null, draft, plainReading),
    ]);
    expect(draftAt(model, 'share_of_brood').rules).toMatchObject({ least: '5 %', greatest: '30 %' });
    expect(messages(model)).toEqual(['Share of brood must be between 5 % and 30 %.']);
  });

  test.each<[FieldDraft['type'], [boolean, boolean, boolean]]>([
    ['number', [true, false, true]],
    ['date', [true, false, true]],
    ['text', [false, true, true]],
    ['yesNo', [false, false, true]],
    ['files', [false, false, false]],
    ['formula', [false, false, false]],
  ])('%s has those that make sense for it', (type, expected) => {
    const { range, pattern, together } = fittingRules({ ...emptyDraft(), type });
    expect([range, pattern, together]).toEqual(expected);
  });
});
