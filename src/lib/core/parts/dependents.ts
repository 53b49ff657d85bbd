import type { Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import { findTable } from '../model/model';
import type { Model, Table, TableRule } from '../types/model';
import type { Field } from '../types/field';
import { type KindedPart, allParts, conditionsIn, partOf } from './parts';
import { dependenciesOf } from '../flow/dependencies';

/**
 * Something written in the formula language: a calculated field, a default, a candidate limit, a rule, or a condition of
 * a part, such as a view's filter.
 */
export type Written = {
  readonly table: Table;
  readonly expression: Expression;
  /** `Table.Field` or the rule's message, for people. */
  readonly words: string;
} & (
  | { readonly kind: 'formula' | 'default' | 'candidates'; readonly field: Field }
  | { readonly kind: 'rule'; readonly rule: TableRule }
  | KindedPart
);

/** A part of a table, in words. */
export const partWords = (table: Table, { kind, part }: KindedPart): string =>
  `the ${partOf(kind).word} “${part.label}” of ${table.label}`;

/** Everything in a model that is written in the formula language. */
export function* writtenIn(model: Model): Generator<Written> {
  for (const table of model.tables) {
    for (const field of table.fields) {
      const words = `${table.label}.${field.label}`;
      if (field.type.kind === 'formula') yield { kind: 'formula', table, field, expression: field.type.formula, words };
      if (field.type.kind === 'link' && field.type.candidates)
        yield {
          kind: 'candidates',
          table,
          field,
          expression: field.type.candidates,
          words: `the candidates of ${words}`,
        };
      if (field.default?.kind === 'formula')
        yield { kind: 'default', table, field, expression: field.default.formula, words: `the default of ${words}` };
    }
    for (const rule of table.rules ?? [])
      if (rule.kind === 'holds')
        yield {
          kind: 'rule',
          table,
          rule,
          expression: rule.condition,
          words: `the rule “${rule.message}” of ${table.label}`,
        };
    for (const one of allParts(table))
      for (const { condition: expression } of conditionsIn(one))
        yield {
          ...one,
          table,
          expression,
          words: partWords(table, one),
        };
  }
  for (const one of allParts(model))
    for (const { condition: expression, table: id } of conditionsIn(one)) {
      const table = id === undefined ? undefined : findTable(model, id);
      if (table) yield { ...one, table, expression, words: `the ${partOf(one.kind).word} “${one.part.label}”` };
    }
}

const known = new WeakMap<Model, Map<FieldId, Written[]>>();

/** What directly uses a field: formulas, defaults, candidate limits, rules and the conditions of parts. */
export function dependentsOf(model: Model, id: FieldId): readonly Written[] {
  let all = known.get(model);
  if (!all) {
    all = new Map();
    for (const written of writtenIn(model))
      for (const field of new Set(dependenciesOf(model, written.expression).on.map((one) => one.field)))
        all.set(field, [...(all.get(field) ?? []), written]);
    known.set(model, all);
  }
  const rules = model.tables.flatMap((table) =>
    (table.rules ?? []).flatMap((rule): Written[] =>
      rule.kind === 'unique' && rule.fields.includes(id)
        ? [{ kind: 'rule', table, rule, expression: uniqueness, words: `the rule “${rule.message}” of ${table.label}` }]
        : [],
    ),
  );
  return [...(all.get(id) ?? []), ...rules];
}

/** What cannot stand without a field. Parts can: they pass over what is gone. */
export const needs = (user: Written): user is Exclude<Written, KindedPart> => !('part' in user);

/** Uniqueness is no formula; it stands for one where only its fields matter. */
const uniqueness: Expression = { do: 'value', type: { is: 'boolean' }, value: true };

/**
 * The links whose candidate limits wait for each other, as labels from one back to itself; null when there are none. A
 * limit waits for every link of the record edited that it reads.
 */
export function candidateCycle(model: Model, start: Field): string[] | null {
  const limitOf = new Map(
    [...writtenIn(model)]
      .filter(({ kind }) => kind === 'candidates')
      .map((one) => [(one as { field: Field }).field.id, one]),
  );
  const seen = new Set<FieldId>();
  function search(id: FieldId, path: readonly string[]): string[] | null {
    const limit = limitOf.get(id);
    if (!limit) return null;
    for (const { path: steps, field } of dependenciesOf(model, limit.expression).on) {
      const first = steps[0] ?? field;
      if (first === id || !limitOf.has(first)) continue;
      const label = (limitOf.get(first) as { field: Field }).field.label;
      if (first === start.id) return [...path, label];
      if (seen.has(first)) continue;
      seen.add(first);
      const found = search(first, [...path, label]);
      if (found) return found;
    }
    return null;
  }
  return search(start.id, [start.label]);
}
