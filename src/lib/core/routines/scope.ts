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

/** The record itself, as a link to it: for links of records that steps make. */
export const selfId: FieldId = 'this';

const selfOf = (table: Table): Field => ({
  ...linkTo(table, { id: selfId, label: 'this' }, table.id),
  label: 'this record',
  // Its own fields are read without it.
  off: true,
});

function withFields(model: Model, id: TableId, more: readonly Field[]): Scope {
  const table = tableOf(model, id);
  const given = [...more, selfOf({ ...table, fields: [...table.fields, ...more] })];
  const wider = { ...table, fields: [...table.fields, ...given] };
  return { model: replaceTable(model, wider), table: wider, given };
}

// Models, scopes and routines never change: what is worked out over a scope is worked out once for all edits.
function once<A extends object, B extends object>() {
  const known = new WeakMap<A, WeakMap<B, Map<TableId, Scope>>>();
  return (a: A, b: B, table: TableId, make: () => Scope): Scope => {
    const ofA = known.get(a) ?? new WeakMap<B, Map<TableId, Scope>>();
    const ofB = ofA.get(b) ?? new Map<TableId, Scope>();
    const scope = ofB.get(table) ?? make();
    known.set(a, ofA.set(b, ofB.set(table, scope)));
    return scope;
  };
}
const first = once<Model, Routine['when']>();
const behind = once<Scope, StepResult>();
const within = once<Scope, StepResult>();

/** What the first step reads. */
export const scopeOf = (model: Model, table: TableId, { when }: Pick<Routine, 'when'>): Scope =>
  first(model, when, table, () => withFields(model, table, when.on === 'button' ? when.inputs : []));

/** What the step behind one reads. */
export function scopeBehind(model: Model, scope: Scope, step: Step): Scope {
  if ((step.do !== 'make' && step.do !== 'find') || !findTable(model, step.table)) return scope;
  return withResult(model, scope, step.table, step.result);
}

/** What is read behind a step that gives a record of `of`. */
export const withResult = (model: Model, scope: Scope, of: TableId, result: StepResult): Scope =>
  behind(scope, result, of, () => {
    const given = scope.given.filter(({ id }) => id !== selfId);
    return withFields(model, scope.table.id, [...given, linkTo(scope.table, result, of)]);
  });

/** What the steps for each record of another table read: that record, and the one where it began. */
export const scopeWithin = (model: Model, scope: Scope, over: TableId, result: StepResult): Scope =>
  within(scope, result, over, () => withFields(model, over, [linkTo(tableOf(model, over), result, scope.table.id)]));

/** The results of steps and the inputs of a routine, by identity, and the record itself: no table has them. */
export function givenIn({ when, steps }: Pick<Routine, 'when' | 'steps'>): ReadonlySet<FieldId> {
  const ids = new Set(when.on === 'button' ? when.inputs.map(({ id }) => id) : []);
  const visit = (all: readonly Step[]): void => {
    for (const step of all) {
      if ('result' in step) ids.add(step.result.id);
      if (step.do === 'each') visit(step.steps);
    }
  };
  visit(steps);
  return ids.add(selfId);
}

/** What the record that a step gives is called unless somebody says otherwise. */
export const resultLabel = (step: 'make' | 'find', { label }: Pick<Table, 'label'>): string =>
  step === 'find' ? `Found ${label}` : `New ${label}`;
