import { checkCondition, checkFormula } from '../formula/checker';
import { printFormula } from '../formula/printer';
import { dependenciesOf } from '../flow/dependencies';
import { findField } from '../model/model';
import { partsOf, type Aggregate, type Expression } from '../types/expression';
import type { FieldId, TableId } from '../types/identity';
import type { Model } from '../types/model';

/** Where a field of a record is read: so many steps along an aggregate's set, then over links to one. */
export interface ReadAt {
  readonly place: number;
  readonly through: readonly FieldId[];
}

/** What is read instead of what a transfer takes away. */
export interface Replacements {
  /** Links, and the other sides of links: the steps that lead to the same records now. */
  readonly steps: ReadonlyMap<FieldId, readonly FieldId[]>;
  /** Values: what gives the same at the place where they were read; null where nothing does. */
  readonly values: ReadonlyMap<FieldId, ((at: ReadAt) => Expression) | null>;
  /**
   * Steps to many that lead to records of other tables as well now: what holds of those that they led to before. `place`
   * is the record's, counted along the set.
   */
  readonly marks: ReadonlyMap<FieldId, (place: number) => Expression>;
}

/** Why something written cannot follow. */
export class CannotFollow extends Error {}

const both = (a: Expression, b: Expression): Expression => ({
  do: 'call',
  name: 'and',
  args: [a, b],
  type: { is: 'boolean' },
});

/** Aggregates whose filter is what they count among all records: it cannot leave records out. */
const filtersAll = ({ name, of }: Aggregate): boolean => name === 'share' && of === null;

/** A formula that reads the same from where it stands now. Types of its parts are found anew by `followed`. */
function rewritten(model: Model, expression: Expression, replacements: Replacements): Expression {
  const { steps, values, marks } = replacements;
  const stepsOf = (path: readonly FieldId[]): FieldId[] => path.flatMap((step) => steps.get(step) ?? [step]);

  function read(expression: Expression, placeOf: (place: number) => number): Expression {
    switch (expression.do) {
      case 'value':
        return expression;
      case 'field': {
        const at: ReadAt = { place: placeOf(expression.place), through: stepsOf(expression.through) };
        const value = values.get(expression.field);
        if (value === null)
          throw new CannotFollow(
            `“${findField(model, expression.field)?.field.label ?? 'a field'}” is not brought along as it is`,
          );
        if (value) return value(at);
        const step = steps.get(expression.field);
        if (step === undefined) return { ...expression, ...at };
        const [last] = step.slice(-1);
        if (last === undefined) throw new CannotFollow('it reads the link itself');
        return { ...expression, ...at, through: [...at.through, ...step.slice(0, -1)], field: last };
      }
      case 'call':
        return { ...expression, args: expression.args.map((arg) => read(arg, placeOf)) };
      case 'case':
        return {
          ...expression,
          whens: expression.whens.map(({ when, then }) => ({ when: read(when, placeOf), then: read(then, placeOf) })),
          otherwise: expression.otherwise && read(expression.otherwise, placeOf),
        };
      case 'aggregate':
        return aggregate(expression);
    }
  }

  function aggregate(one: Aggregate): Aggregate {
    const placeOf = (place: number): number => stepsOf(one.set.slice(0, place)).length;
    const set = stepsOf(one.set);
    const conditions = one.set.flatMap((step, at) => marks.get(step)?.(placeOf(at + 1)) ?? []);
    if (conditions.length > 0 && filtersAll(one))
      throw new CannotFollow('it is a share of all records, which are more now');
    if (set.length === 0) throw new CannotFollow('it gathers records over the link itself');
    const filter = one.filter && read(one.filter, placeOf);
    const all = [...(filter ? [filter] : []), ...conditions];
    return {
      ...one,
      set,
      of: one.of && read(one.of, placeOf),
      filter: all.length > 0 ? all.reduce(both) : null,
      order: one.order.map(({ by, descending }) => ({ by: read(by, placeOf), descending })),
    };
  }

  return read(expression, (place) => place);
}

/** Whether a formula reads anything that is replaced. */
export function readsReplaced(model: Model, expression: Expression, { steps, values, marks }: Replacements): boolean {
  const isReplaced = (id: FieldId) => steps.has(id) || values.has(id) || marks.has(id);
  return (
    dependenciesOf(model, expression).on.some(({ path, field }) => [...path, field].some(isReplaced)) ||
    [...partsOf(expression)].some((part) => part.do === 'aggregate' && part.set.some(isReplaced))
  );
}

export type Followed =
  | { readonly ok: true; readonly expression: Expression; readonly text: string }
  | { readonly ok: false; readonly why: string };

/**
 * A formula written anew and checked as if somebody had typed it, in a model that has both what was and what will be.
 * `condition`: it has to be yes or no.
 */
export function followed(
  before: Model,
  after: Model,
  owner: TableId,
  expression: Expression,
  replacements: Replacements,
  condition = false,
): Followed {
  try {
    const text = printFormula(after, rewritten(before, expression, replacements));
    const checked = condition ? checkCondition(after, owner, text) : checkFormula(after, owner, text);
    return checked.expression
      ? { ok: true, expression: checked.expression, text }
      : { ok: false, why: checked.problems[0]?.message ?? 'it cannot be read any more' };
  } catch (error) {
    if (error instanceof CannotFollow) return { ok: false, why: error.message };
    throw error;
  }
}
