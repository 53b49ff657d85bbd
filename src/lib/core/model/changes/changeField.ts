import { dependenciesOf } from '../../flow/dependencies';
import { usersOf } from '../../flow/graph';
import { sameType } from '../../formula/expression';
import { bad, good, type Result } from '../../problem';
import type { FieldId, TableId } from '../identity';
import { findField, fieldOf, tableOf, valueTypeOf, type Field, type FieldKind, type Model } from '../model';
import { checkFields } from '../naming';
import { replaceTable } from '../replace';
import { acyclic, checkResult } from './addField';

/** New names, rules or type of a field. */
export interface ChangeField {
  readonly do: 'changeField';
  readonly table: TableId;
  readonly field: FieldId;
  readonly set: Partial<Pick<Field, 'key' | 'label' | 'help' | 'required' | 'unique' | 'type'>>;
}

/** Kinds whose values can be turned into one another; what does not fit is set aside. */
export const convertible: readonly FieldKind[] = ['text', 'number', 'yesNo', 'date', 'option'];

export function applyChangeField(model: Model, change: ChangeField): Result<Model> {
  const found = findField(model, change.field);
  if (!found || found.table.id !== change.table) return bad('There is no such field.');
  const { field: before, table } = found;
  const after: Field = { ...before, ...change.set };
  if (after.type.kind !== before.type.kind && ![before, after].every(({ type }) => convertible.includes(type.kind)))
    return bad(`A ${before.type.kind} field cannot become a ${after.type.kind} field.`, 'Add a new field of that type beside it.');
  if (before.type.kind === 'link' && after.type.kind === 'link' && before.type.to !== after.type.to)
    return bad(`“${before.label}” points at another table already.`, 'Add a second link.');
  if (before.type.kind === 'counterpart' && change.set.type) return bad('The other side of a link has no type of its own.');
  const fields = table.fields.map((field) => (field.id === after.id ? after : field));
  const named = checkFields(fields);
  if (!named.ok) return named;
  const changed = replaceTable(model, { ...tableOf(model, table.id), fields });
  if (!sameType(valueTypeOf(before), valueTypeOf(after))) {
    const users = usersOf(model, before.id);
    if (users.length > 0)
      return bad(
        `${users.map((user) => `${user.table.label}.${user.field.label}`).join(', ')} would be given another type than now.`,
        'Change or remove those formulas first.',
      );
  }
  if (after.type.kind !== 'formula') return good(changed);
  if (dependenciesOf(changed, after.type.formula).missing) return bad(`The formula of “${after.label}” uses a field that is not there.`, 'Write it again.');
  const result = checkResult(after.label, after.type.result.is);
  return result.ok ? acyclic(changed, after) : result;
}

export function invertChangeField(model: Model, change: ChangeField): ChangeField {
  const { field } = fieldOf(model, change.field);
  const set = Object.fromEntries(Object.keys(change.set).map((name) => [name, field[name as keyof Field]]));
  return { ...change, set };
}
