import { freeKey, keyFromLabel } from '../base/key';
import { findTable, tableOf } from '../model/model';
import { replaceTable } from '../model/replace';
import type { Field } from '../types/field';
import type { FieldId, TableId } from '../types/identity';
import type { Model, Table } from '../types/model';
import type { Routine, Step, StepResult } from '../types/routine';

/** What a step of a routine reads: the model in which the table has what was asked and given before, as fields. */
export interface Scope {
  readonly model: Model;
  readonly table: Table;
  /** The fields that stand in no table: inputs, and links to the records that steps gave. */
  readonly given: readonly Field[];
}

/** A record that a step gave, as a link to it. */
function linkTo(table: Table, { id, label }: StepResult, to: TableId): Field {
  return {
    id,
    key: freeKey(keyFromLabel(label, 'found'), new Set(table.fields.map(({ key }) => key))),
    label,
    help: '',
    required: false,
    unique: false,
    type: { kind: 'link', to, onDelete: 'clear', counterpart: '' },
  } as Field;
}

const withFields = (model: Model, id: TableId, given: readonly Field[]): Scope => {
  const table = tableOf(model, id);
  const wider = { ...table, fields: [...table.fields, ...given] };
  return { model: given.length > 0 ? replaceTable(model, wider) : model, table: wider, given };
};

/** What the first step reads. */
export const scopeOf = (model: Model, table: TableId, { when }: Pick<Routine, 'when'>): Scope =>
  withFields(model, table, when.on === 'button' ? when.inputs : []);

/** What the step behind one reads. */
export function scopeBehind(model: Model, scope: Scope, step: Step): Scope {
  if ((step.do !== 'make' && step.do !== 'find') || !findTable(model, step.table)) return scope;
  return withResult(model, scope, step.table, step.result);
}

/** What is read behind a step that gives a record of `of`. */
export const withResult = (model: Model, scope: Scope, of: TableId, result: StepResult): Scope =>
  withFields(model, scope.table.id, [...scope.given, linkTo(scope.table, result, of)]);

/** What the steps for each record of another table read: that record, and the one where it began. */
export const scopeWithin = (model: Model, scope: Scope, over: TableId, result: StepResult): Scope =>
  withFields(model, over, [linkTo(tableOf(model, over), result, scope.table.id)]);

/** The results of steps and the inputs of a routine, by identity: no table has them. */
export function givenIn({ when, steps }: Pick<Routine, 'when' | 'steps'>): ReadonlySet<FieldId> {
  const ids = new Set(when.on === 'button' ? when.inputs.map(({ id }) => id) : []);
  const visit = (all: readonly Step[]): void => {
    for (const step of all) {
      if ('result' in step) ids.add(step.result.id);
      if (step.do === 'each') visit(step.steps);
    }
  };
  visit(steps);
  return ids;
}

/** What the record that a step gives is called unless somebody says otherwise. */
export const resultLabel = (step: 'make' | 'find', { label }: Pick<Table, 'label'>): string =>
  step === 'find' ? `Found ${label}` : `New ${label}`;
