import type { Model } from '../../types/model';
import { fieldOf } from '../../model/model';
import { partsOf, type Aggregate, type Expression } from '../../types/expression';
import { findFunction } from '../functions/table';
import { printFormula } from '../printer';

/** A way in which a formula's value can be wrong, with a condition that says of which records it is. */
export interface Suspicion {
  readonly kind: 'limit' | 'zero' | 'currency' | 'value' | 'blank' | 'passed over';
  /** The reason; `part` is the part of the formula it is about. */
  readonly words: string;
  readonly part: string | null;
  readonly condition: Expression;
}

const boolean = { is: 'boolean' } as const;
const call = (name: string, ...args: Expression[]): Expression => ({ do: 'call', name, args, type: boolean });
const isBlank = (part: Expression) => call('is null', part);
const isFilled = (part: Expression) => call('is not null', part);
const all = (conditions: readonly Expression[]): Expression => conditions.reduce((both, one) => call('and', both, one));
/** Not true: false or blank. */
const fails = (condition: Expression) =>
  call('not', {
    do: 'call',
    name: 'coalesce',
    args: [condition, { do: 'value', type: boolean, value: false }],
    type: boolean,
  });

/**
 * Everything for which a calculated field can be blank although its formula is right, and the records that an aggregate
 * passes over: each a formula of its own, so that they are counted, shown and filtered by the one mechanism. `stored`
 * is the field's value as it stands. What is blank for want of records to gather is as it should be.
 */
export function suspicionsOf(model: Model, formula: Expression, stored: Expression & { do: 'field' }): Suspicion[] {
  const reads = (part: Expression) => part.do === 'field' && part.field === stored.field;
  // Over a hierarchy a record on a ring of links is blank whatever its formula says; that has a finding of its own.
  const found: Suspicion[] = [...partsOf(formula)].some(reads)
    ? []
    : [
        {
          kind: 'limit',
          words: 'its value is beyond what a number can hold',
          part: null,
          condition: all([isBlank(stored), isFilled(formula)]),
        },
      ];
  visit(formula, []);
  const known = new Set<string>();
  return found.filter(({ condition }) => {
    const key = JSON.stringify(condition);
    return !known.has(key) && known.add(key);
  });

  /** `on`: what holds where this part is what the value comes from. */
  function visit(part: Expression, on: readonly Expression[]): void {
    switch (part.do) {
      case 'value':
        return;
      case 'field':
        if (part.type.is === 'record' || part.type.is === 'records' || reads(part)) return;
        // A field that may be blank is blank on purpose: what comes from it is blank where everybody sees it.
        if (![...part.through, part.field].every((id) => fieldOf(model, id).field.required)) return;
        return add('blank', 'a required field it needs is blank', printFormula(model, part), [
          isBlank(stored),
          ...on,
          isBlank(part),
        ]);
      case 'aggregate':
        return gathered(part, on);
      case 'case': {
        const before: Expression[] = [];
        for (const { when, then } of part.whens) {
          visit(then, [...on, ...before, when]);
          before.push(fails(when));
        }
        if (part.otherwise) visit(part.otherwise, [...on, ...before]);
        return;
      }
      case 'call': {
        if (part.name === 'label') return part.args[0] && visit(part.args[0], on);
        const definition = findFunction(part.name);
        if (definition?.mayBlank && definition.blanks === 'spreads')
          add(kindOf(part, definition.mayBlank), definition.mayBlank, printFormula(model, part), [
            isBlank(stored),
            ...on,
            ...part.args.filter((arg) => arg.do !== 'value').map(isFilled),
            isBlank(part),
          ]);
        if (definition?.blanks === 'spreads' || part.name === 'coalesce') for (const arg of part.args) visit(arg, on);
      }
    }
  }

  function gathered(aggregate: Aggregate, on: readonly Expression[]): void {
    const { of, filter } = aggregate;
    if (!of) return;
    const exists = (condition: Expression): Expression => ({
      ...aggregate,
      name: 'exists',
      of: null,
      distinct: false,
      order: [],
      separator: null,
      type: boolean,
      filter: filter ? call('and', filter, condition) : condition,
    });
    if (of.type.is === 'money' && (aggregate.name === 'sum' || aggregate.name === 'avg'))
      add('currency', 'the currencies differ', printFormula(model, aggregate), [
        isBlank(stored),
        ...on,
        isBlank(aggregate),
        exists(isFilled(of)),
      ]);
    for (const inner of partsOf(of)) {
      if (inner.do !== 'call') continue;
      const definition = findFunction(inner.name);
      if (!definition?.mayBlank || definition.blanks !== 'spreads') continue;
      const condition = all([...inner.args.filter((arg) => arg.do !== 'value').map(isFilled), isBlank(inner)]);
      found.push({
        kind: 'passed over',
        words: `records are passed over, as ${definition.mayBlank}`,
        part: printedInside(inner),
        condition: exists(condition),
      });
    }
    /** Names inside an aggregate begin at the record that has the formula. */
    function printedInside(inner: Expression): string {
      const text = printFormula(model, {
        ...aggregate,
        name: 'max',
        of: inner,
        filter: null,
        order: [],
        distinct: false,
        separator: null,
      });
      return text.slice('max('.length, -1);
    }
  }

  function add(kind: Suspicion['kind'], words: string, part: string, conditions: readonly Expression[]): void {
    found.push({ kind, words, part, condition: all(conditions) });
  }
}

/** Calls whose argument is divided by, with numbers or money. */
const divides = new Set(['/', 'mod', 'money over', 'money ratio']);

const kindOf = (part: Expression & { do: 'call' }, why: string): Suspicion['kind'] =>
  why.startsWith('the currencies') ? 'currency' : divides.has(part.name) ? 'zero' : 'value';

/** The value of a calculated field as a formula reads it from its own record. */
export const storedValue = (model: Model, id: string): Expression & { do: 'field' } => {
  const { field } = fieldOf(model, id);
  if (field.type.kind !== 'formula') throw new Error(`${field.key} is not calculated`);
  return { do: 'field', place: 0, through: [], field: id, type: field.type.result };
};
