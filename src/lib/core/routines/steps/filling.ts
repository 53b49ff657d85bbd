import { printFilled, readAll, readFilled, type Written } from '../../filled/written';
import { bad, good, type Result } from '../../base/problem';
import { findField, isEntered, isToMany } from '../../model/model';
import type { Expression } from '../../types/expression';
import type { FieldId } from '../../types/identity';
import type { Model, Table } from '../../types/model';
import type { FilledField } from '../../types/recordChange';
import type { StepResult } from '../../types/routine';
import { newId } from '../../types/identity';
import type { Turning } from '../step';
import { said } from '../said';
import type { Scope } from '../scope';

/** Fields of `owner`, each with its formula over the record of the scope; at least one unless `none` may be. */
export function readFilling(
  scope: Scope,
  owner: Table,
  json: unknown,
  at: string,
  none = false,
): Result<FilledField[]> {
  const all = readAll(json, at, (one, place) => {
    const filled = readFilled(scope.model, owner, scope.table, one, place);
    if (!filled.ok) return filled;
    const field = findField(scope.model, filled.value.field)?.field;
    return field && isEntered(field) && !isToMany(field)
      ? filled
      : bad(`${field?.label ?? 'The field'} is not filled in by people.`, 'Choose another field.', `${place}/field`);
  });
  if (!all.ok) return all;
  if (all.value.length === 0 && !none) return bad('No field is set.', 'Choose one, and what it gets.', at);
  const twice = all.value.find(({ field }, index) => all.value.findIndex((one) => one.field === field) < index);
  return twice ? bad('A field is set twice.', 'Leave one of the two out.', at) : all;
}

export const printFilling = ({ model }: Scope, fields: readonly FilledField[]): Written[] =>
  fields.flatMap((one) => {
    const printed = findField(model, one.field) ? printFilled(model, one) : null;
    return printed ? [printed] : [];
  });

export const formulasIn = (fields: readonly FilledField[]): Expression[] =>
  fields.flatMap(({ from }) => (from.is === 'formula' ? [from.formula] : []));

export const fieldsIn = (fields: readonly FilledField[]): FieldId[] => fields.map(({ field }) => field);

export const turnedFilling = (fields: readonly FilledField[], { formula, field }: Turning): FilledField[] =>
  fields.map((one) => ({
    ...one,
    field: field(one.field),
    ...(one.match === undefined ? {} : { match: field(one.match) }),
    from: one.from.is === 'formula' ? { is: 'formula', formula: formula(one.from.formula) } : one.from,
  }));

export const fillingWords = (model: Model, scope: Scope, fields: readonly FilledField[], join = 'to'): string =>
  fields
    .map(({ field, from }) => {
      const label = findField(model, field)?.field.label ?? 'a field that is gone';
      return `${label} ${join} ${from.is === 'formula' ? said(scope.model, from.formula) : 'a value'}`;
    })
    .join(join === 'to' ? ', ' : ' and ');

/** The name by which the steps behind read what this one gave. */
export function readResult(json: unknown, label: string, at: string): Result<StepResult> {
  const name = typeof json === 'string' && json.trim() !== '' ? json.trim() : label;
  return name.length > 120
    ? bad('The name of the result is too long.', 'Take a shorter one.', at)
    : good({ id: newId('f'), label: name });
}
