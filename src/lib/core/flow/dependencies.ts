import { outerPartsOf, partsOf, type Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import { findField } from '../model/model';
import type { Model, Table } from '../types/model';

/**
 * One thing a formula is calculated from: a field, and the links and counterparts from the owner's record to the
 * record that holds it. A counterpart is itself read from a link field on the far table, so a path over it yields a
 * dependency on that link with the counterpart as its last step: a record that is made, deleted or re-pointed there
 * changes the set.
 */
export interface Dependency {
  readonly path: readonly FieldId[];
  readonly field: FieldId;
}

interface Dependencies {
  readonly on: readonly Dependency[];
  /** An identity the formula uses that the model does not have. */
  readonly missing?: FieldId;
}

// Formulas and models are immutable, so what one needs of the other is worked out once.
const known = new WeakMap<Model, WeakMap<Expression, Dependencies>>();

/** Everything a formula is calculated from, each once. */
export function dependenciesOf(model: Model, formula: Expression): Dependencies {
  const ofModel = known.get(model) ?? new WeakMap<Expression, Dependencies>();
  known.set(model, ofModel);
  const found = ofModel.get(formula);
  if (found) return found;
  const on = new Map<string, Dependency>();
  let missing: FieldId | undefined;

  function depend(path: readonly FieldId[], field: FieldId): void {
    if (!findField(model, field)) missing = field;
    else on.set([...path, field].join('.'), { path, field });
  }

  /** Depends on each link of a path; what the path leads to is the caller's. */
  function follow(path: readonly FieldId[]): void {
    path.forEach((step, index) => {
      const type = findField(model, step)?.field.type;
      if (type?.kind === 'counterpart') depend(path.slice(0, index + 1), type.link);
      else depend(path.slice(0, index), step);
    });
  }

  function visit(expression: Expression, set: readonly FieldId[]): void {
    if (expression.do === 'field') {
      const path = [...set.slice(0, expression.place), ...expression.through];
      follow(path);
      depend(path, expression.field);
    } else if (expression.do === 'aggregate') {
      follow(expression.set);
      for (const part of partsOf(expression)) if (part !== expression) visit(part, expression.set);
    }
  }
  for (const part of outerPartsOf(formula)) visit(part, []);
  const result = { on: [...on.values()], missing };
  ofModel.set(formula, result);
  return result;
}

/** The table whose records something written is about; undefined where it reads no field that stands. */
export function tableRead(model: Model, formula: Expression): Table | undefined {
  for (const part of outerPartsOf(formula)) {
    const first =
      part.do === 'field' ? (part.through[0] ?? part.field) : part.do === 'aggregate' ? part.set[0] : undefined;
    const known = first === undefined ? undefined : findField(model, first);
    if (known) return known.table;
  }
  return undefined;
}

const calls = (formula: Expression, name: string): boolean =>
  [...partsOf(formula)].some((part) => part.do === 'call' && part.name === name);

/** Whether a formula's value changes when the workspace's day does. */
export const dependsOnDay = (formula: Expression): boolean => calls(formula, 'today');

/** Whether it is another for everybody who looks, so that it can stand in no record. */
export const dependsOnViewer = (formula: Expression): boolean => calls(formula, 'person');

/** Whether a formula reads one of these fields, on its own record or on the way to another. */
export const readsAny = (model: Model, formula: Expression, fields: ReadonlySet<FieldId>): boolean =>
  dependenciesOf(model, formula).on.some(
    ({ path, field }) => fields.has(field) || path.some((step) => fields.has(step)),
  );

/** An identity a condition uses that the model does not have. */
export const conditionMissing = (model: Model, condition: Expression): FieldId | undefined =>
  dependenciesOf(model, condition).missing;
