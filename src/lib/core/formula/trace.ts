import type { FieldId } from '../types/identity';
import { fieldOf } from '../model/model';
import type { Model } from '../types/model';
import { outerPartsOf, type Expression } from '../types/expression';
import { findFunction } from './functions/table';
import { printFormula } from './printer';

/** One part of a formula with the value it has for one record, as text; the parts it is made of below it. */
export interface TraceStep {
  readonly text: string;
  readonly value: string | null;
  /** Why it is blank, or which case held; empty when there is nothing to say. */
  readonly note: string;
  /** The field it reads, for going on from there. */
  readonly field: FieldId | null;
  /** Which of the aggregates it is, in the order of `tracedParts`. */
  readonly gathers: number | null;
  readonly parts: readonly TraceStep[];
}

/**
 * The parts of a formula whose values a trace shows: all that do not stand inside an aggregate, written values left
 * out.
 */
export const tracedParts = (expression: Expression): readonly Expression[] =>
  [...outerPartsOf(expression)].filter((part) => part.do !== 'value');

/** The trace of a formula from the values of its parts. */
export function traceOf(
  model: Model,
  expression: Expression,
  values: ReadonlyMap<Expression, string | null>,
): TraceStep {
  const aggregates = tracedParts(expression).filter((part) => part.do === 'aggregate');
  return step(expression);

  function step(part: Expression): TraceStep {
    const inner = innerParts(part);
    return {
      text: printFormula(model, part),
      value: valueOf(part),
      note: noteOf(part),
      field: part.do === 'field' ? part.field : null,
      gathers: part.do === 'aggregate' ? aggregates.indexOf(part) : null,
      parts: inner.filter((one) => one.do !== 'value').map(step),
    };
  }

  function valueOf(part: Expression): string | null {
    return part.do === 'value' ? (part.value === null ? null : String(part.value)) : (values.get(part) ?? null);
  }

  function noteOf(part: Expression): string {
    if (part.do === 'case') {
      const held = part.whens.findIndex(({ when }) => valueOf(when) === 'yes');
      return held >= 0
        ? `the ${ordinal(held)} condition holds`
        : part.otherwise
          ? 'no condition holds, so the last stands'
          : 'no condition holds';
    }
    if (valueOf(part) !== null) return '';
    switch (part.do) {
      case 'field':
        return part.through.length > 0
          ? 'blank, or nothing is linked'
          : `“${fieldOf(model, part.field).field.label}” is blank`;
      case 'aggregate':
        return 'no values to gather';
      case 'call': {
        const definition = findFunction(part.name);
        const blank = part.args.filter((arg) => valueOf(arg) === null);
        if (definition?.blanks === 'spreads' && blank.length > 0)
          return `blank, as ${blank.map((arg) => printFormula(model, arg)).join(', ')} is`;
        if (part.name === '/' || part.name === 'mod') return 'divided by 0';
        return definition?.mayBlank ? `blank: ${definition.mayBlank}` : '';
      }
      case 'value':
        return '';
    }
  }
}

const ordinal = (index: number): string => ['first', 'second', 'third', 'fourth', 'fifth'][index] ?? `${index + 1}th`;

function innerParts(part: Expression): readonly Expression[] {
  switch (part.do) {
    case 'call':
      return part.name === 'label' ? innerParts(part.args[0] ?? part) : part.args;
    case 'case':
      return [...part.whens.flatMap(({ when, then }) => [when, then]), ...(part.otherwise ? [part.otherwise] : [])];
    case 'field':
    case 'value':
    case 'aggregate':
      return [];
  }
}
