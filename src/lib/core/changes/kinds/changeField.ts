import { dependentsOf, needs } from '../../parts/dependents';
import { sameType } from '../../types/expression';
import { bad, type Result } from '../../base/problem';
import { enteredKinds } from '../../fieldTypes/registry';
import { findField, fieldOf, isSystem, tableOf, valueTypeOf } from '../../model/model';
import type { Model } from '../../types/model';
import type { Field, FieldKind } from '../../types/field';
import { shownType } from '../../formula/shownType';
import { checkFields } from '../../model/names/naming';
import { replaceTable } from '../../model/replace';
import { checkFieldType } from '../../model/wellMade';
import { checkFed, checkWritten } from './addField';
import type { ChangeField } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';
import { settingsInWords } from './settingsInWords';

/** Kinds whose values can be turned into one another; what does not fit is set aside. Links have plans of their own. */
const isConvertible = (kind: FieldKind): boolean =>
  kind !== 'link' && (enteredKinds as readonly FieldKind[]).includes(kind);

/**
 * Whether a field can be given the other's type. What is calculated can be kept as values from then on, read as what it
 * is shown as; what was entered can be calculated from then on, and the entered values wait for that to be undone.
 */
function canBecome(model: Model, before: Field, after: Field): boolean {
  if (after.type.kind === before.type.kind) return true;
  if (after.type.kind === 'formula') return isConvertible(before.type.kind);
  return isConvertible(after.type.kind) && isConvertible(shownType(model, before).kind);
}

function applyChangeField(model: Model, change: ChangeField): Result<Model> {
  const found = findField(model, change.field);
  if (!found || found.table.id !== change.table) return bad('There is no such field.');
  const { field: before, table } = found;
  const after = changedField(before, change);
  const same = after.type.kind === before.type.kind;
  if (isSystem(before) && (!same || after.required !== before.required || after.unique !== before.unique))
    return bad(
      `“${before.label}” is kept by the system itself.`,
      'Its names can be changed, and it can be switched off.',
    );
  if (!canBecome(model, before, after))
    return bad(
      `A ${before.type.kind} field cannot become a ${after.type.kind} field.`,
      'Add a new field of that type beside it.',
    );
  if (before.type.kind === 'link' && after.type.kind === 'link' && before.type.to !== after.type.to)
    return bad(`“${before.label}” points at another table already.`, 'Add a second link.');
  if (before.type.kind === 'counterpart' && JSON.stringify(before.type) !== JSON.stringify(after.type))
    return bad('A reverse link has no type of its own.');
  const wellMade = checkFieldType(after);
  if (!wellMade.ok) return wellMade;
  const fields = table.fields.map((field) => (field.id === after.id ? after : field));
  const named = checkFields(fields);
  if (!named.ok) return named;
  const changed = replaceTable(model, { ...tableOf(model, table.id), fields });
  if (!sameType(valueTypeOf(before), valueTypeOf(after))) {
    const users = dependentsOf(model, before.id).filter(needs);
    if (users.length > 0)
      return bad(
        `${users.map(({ words }) => words).join(', ')} would be given another type than now.`,
        'Change or remove those first.',
      );
  }
  const fed = checkFed(tableOf(changed, table.id));
  return fed.ok ? checkWritten(changed, after) : fed;
}

/** The field with the change's members in place of its own. */
function changedField(before: Field, { set }: ChangeField): Field {
  const kept = Object.entries({ ...before, ...set }).filter(([, value]) => value !== null && value !== undefined);
  return Object.fromEntries(kept) as unknown as Field;
}

const back = '_r';

function invertChangeField(model: Model, change: ChangeField): ChangeField {
  const { field } = fieldOf(model, change.field);
  const set = Object.fromEntries(Object.keys(change.set).map((name) => [name, field[name as keyof Field] ?? null]));
  const { do: done, table, keep, reading, merge } = change;
  if (keep === undefined) return { do: done, table, field: field.id, set };
  // Undone and done again, the two kept columns change places; neither name grows.
  return {
    do: done,
    table,
    field: field.id,
    set,
    keep: keep.endsWith(back) ? keep.slice(0, -back.length) : keep + back,
    restore: { keep, ...(reading ? { reading } : {}), ...(merge ? { merge } : {}) },
  };
}

export const changeField: ChangeDescriptor<ChangeField> = {
  apply: applyChangeField,
  invert: (model, change) => [invertChangeField(model, change)],
  subjects: ({ field }) => [field],
  words: (change, { model, before, path }) =>
    `${path(change.table, change.field)}: ${settingsInWords(model, change, findField(before, change.field)?.field, before)}`,
};
