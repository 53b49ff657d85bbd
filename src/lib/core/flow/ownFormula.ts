import { dependenciesOf } from './dependencies';
import type { TableId } from '../types/identity';
import { tableOf } from '../model/model';
import type { Model } from '../types/model';
import type { Field } from '../types/field';
import { replaceTable } from '../model/replace';
import { checkFormula, type CheckedFormula } from '../formula/checker';
import { sameType, typeWord, type ValueType } from '../types/expression';
import { tokensOf } from '../formula/lexer';

/** What a formula over a hierarchy may give; tried in this order, as its type can be known only by assuming it. */
const assumed: readonly ValueType[] = (
  ['number', 'text', 'date', 'boolean', 'timestamp', 'duration', 'money'] as const
).map((is) => ({ is }));

/** The names of a calculated field, which its own formula may use where it goes over a hierarchy. */
export type OwnNames = Pick<Field, 'id' | 'key' | 'label'>;

interface OverItself {
  /** The model in which the formula holds: one that knows the field itself. */
  readonly model: Model;
  readonly overHierarchy: boolean;
}

/**
 * Checks the formula of a calculated field. It may read the field itself on records that it reaches over links, such as
 * `coalesce(mother.generation + 1, 0)`; whether that ends somewhere is for `hierarchyOf` to say.
 */
export function checkOwnFormula(
  model: Model,
  table: TableId,
  own: OwnNames,
  source: string,
): CheckedFormula & OverItself {
  const plain = { model, overHierarchy: false };
  if (!namesItself(own, source)) return { ...checkFormula(model, table, source), ...plain };
  const attempts = assumed.map((type) => {
    const known = withOwn(model, table, own, type);
    const checked = checkFormula(known, table, source);
    const self =
      checked.expression !== null && dependenciesOf(known, checked.expression).on.some(({ field }) => field === own.id);
    return { type, checked, self, known };
  });
  const fitting = attempts.find(
    ({ type, checked, self }) => checked.expression && (!self || sameType(checked.expression.type, type)),
  );
  if (fitting) return { ...fitting.checked, model: fitting.known, overHierarchy: fitting.self };
  const [closest] = attempts.toSorted((a, b) => a.checked.problems.length - b.checked.problems.length);
  if (closest && closest.checked.problems.length > 0) return { ...closest.checked, ...plain };
  const given = closest?.checked.expression;
  return {
    ...plain,
    expression: null,
    problems: [
      {
        message: `The formula reads “${own.label}” as a ${closest ? typeWord(closest.type) : 'value'} and gives a ${given ? typeWord(given.type) : 'value'}.`,
        fix: 'Make both of one type.',
        at: { from: 0, to: source.length },
      },
    ],
  };
}

const namesItself = (own: OwnNames, source: string): boolean =>
  tokensOf(source).tokens.some(
    ({ kind, text }) =>
      (kind === 'name' && text === own.key) ||
      (kind === 'quoted' && [own.key, own.label.toLowerCase()].includes(text.toLowerCase())),
  );

/** The model with the field as one that gives this type. */
function withOwn(model: Model, id: TableId, own: OwnNames, result: ValueType): Model {
  const table = tableOf(model, id);
  const field: Field = {
    help: '',
    required: false,
    unique: false,
    ...own,
    type: { kind: 'formula', formula: { do: 'value', type: result, value: null }, result },
  };
  return replaceTable(model, { ...table, fields: [...table.fields.filter((one) => one.id !== own.id), field] });
}
