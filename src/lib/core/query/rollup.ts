import { checkCondition, checkFormula } from '../formula/checker';
import { partsOf, type Aggregate, type AggregateName, type Expression } from '../types/expression';
import { printFormula } from '../formula/printer';
import { fieldOf, linkedTable, overOf } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import { bad, good, type Result } from '../base/problem';

/**
 * A rollup as people choose it. It is another way to write a formula, not another language: `of`, `where` and `by` are
 * formulas over the records gathered, as those would write them themselves.
 */
export interface Rollup {
  readonly gathers: AggregateName;
  /** Keys from the record to those that are gathered, with points between. */
  readonly set: string;
  /** A field of theirs; empty where they are counted themselves. */
  readonly of: string;
  readonly where: string;
  readonly by: string;
  readonly descending: boolean;
  readonly distinct: boolean;
}

/** What each way of gathering is called, in the order in which it is offered, and the types it takes. */
export const gatherings: readonly {
  readonly gathers: AggregateName;
  readonly words: string;
  readonly takes: 'nothing' | 'number' | 'ordered' | 'any' | 'text' | 'yesNo';
}[] = [
  { gathers: 'count', words: 'how many there are', takes: 'nothing' },
  { gathers: 'sum', words: 'the sum of', takes: 'number' },
  { gathers: 'avg', words: 'the mean of', takes: 'number' },
  { gathers: 'min', words: 'the least or earliest', takes: 'ordered' },
  { gathers: 'max', words: 'the greatest or latest', takes: 'ordered' },
  { gathers: 'first', words: 'the first', takes: 'any' },
  { gathers: 'last', words: 'the last', takes: 'any' },
  { gathers: 'string_agg', words: 'a list of', takes: 'text' },
  { gathers: 'share', words: 'the share for which', takes: 'nothing' },
  { gathers: 'exists', words: 'whether there is any', takes: 'nothing' },
  { gathers: 'every', words: 'whether it holds for all:', takes: 'yesNo' },
];

const mostSteps = 3;

/** The ways from a record to many others, over up to three links. */
export function gatheredSets(
  model: Model,
  table: Table,
): readonly { readonly path: string; readonly label: string; readonly table: Table }[] {
  const found: { path: string; label: string; table: Table }[] = [];
  let ring: { fields: readonly Field[]; table: Table; many: boolean }[] = [{ fields: [], table, many: false }];
  for (let step = 0; step < mostSteps; step++) {
    ring = ring.flatMap((from) =>
      from.table.fields.flatMap((field) => {
        const linked = linkedTable(model, field);
        // The way straight back leads to the record itself.
        const last = from.fields.at(-1)?.type;
        const back =
          (last?.kind === 'counterpart' && last.link === field.id) ||
          (last?.kind === 'link' && last.counterpart === field.id);
        if (!linked || linked.table.pairs || field.off || back) return [];
        return [
          {
            fields: [...from.fields, field],
            table: linked.table,
            many: from.many || field.type.kind === 'counterpart',
          },
        ];
      }),
    );
    for (const { fields, table: to, many } of ring)
      if (many)
        found.push({
          path: fields.map(({ key }) => key).join('.'),
          label: fields.map(({ label }) => label).join(' › '),
          table: to,
        });
    if (ring.length > 200) break;
  }
  return found;
}

/** The rollup that a formula is, or null where it says more than can be chosen. */
export function readRollup(model: Model, table: Table, formula: string): Rollup | null {
  const { expression } = checkFormula(model, table.id, formula);
  if (expression?.do !== 'aggregate' || expression.order.length > 1) return null;
  const { set, of, filter, order, name, distinct, separator } = expression;
  if (separator !== null && separator !== ', ') return null;
  const inner = [of, filter, order[0]?.by ?? null].filter((part) => part !== null);
  // All that is read must stand on the records gathered: what reads the record itself cannot be chosen.
  if (
    !inner.every((part) =>
      [...partsOf(part)].every((one) => one.do !== 'aggregate' && (one.do !== 'field' || one.place === set.length)),
    )
  )
    return null;
  const own = (part: Expression | null) => (part ? printFormula(model, moved(part, set.length, 0)) : '');
  const keys = set.map((id) => fieldOf(model, id).field);
  const path = keys.filter(({ id }, index) => overOf(keys[index - 1]) !== id).map(({ key }) => key);
  return {
    gathers: name,
    set: path.join('.'),
    of: own(of),
    where: own(filter),
    by: own(order[0]?.by ?? null),
    descending: order[0]?.descending ?? false,
    distinct,
  };
}

/** The formula of a rollup, or what is still missing. */
export function writeRollup(model: Model, table: Table, rollup: Rollup): Result<string> {
  const counted = checkFormula(model, table.id, `count(${rollup.set})`).expression;
  if (counted?.do !== 'aggregate') return bad('Choose the records that are gathered.');
  const far = gatheredSets(model, table).find(({ path }) => path === rollup.set)?.table;
  if (!far) return bad('These records lie too far away to be chosen.', 'Write the formula instead.');
  const { set } = counted;
  const inner = (text: string, condition: boolean): Result<Expression | null> => {
    if (text.trim() === '') return good(null);
    const { expression, problems } = condition
      ? checkCondition(model, far.id, text)
      : checkFormula(model, far.id, text);
    return expression
      ? good(moved(expression, 0, set.length))
      : { ok: false, problem: problems[0] ?? { message: 'It cannot be read.' } };
  };
  const takes = gatherings.find(({ gathers }) => gathers === rollup.gathers)?.takes;
  const [of, filter, by] = [
    inner(takes === 'nothing' ? '' : rollup.of, false),
    inner(rollup.where, true),
    inner(rollup.by, false),
  ];
  for (const part of [of, filter, by]) if (!part.ok) return part;
  if (!of.ok || !filter.ok || !by.ok) return bad('It cannot be read.');
  if (takes !== 'nothing' && of.value === null) return bad('Choose the field that is gathered.');
  if (rollup.gathers === 'share' && filter.value === null) return bad('Say for which records it is the share.');
  const aggregate: Aggregate = {
    ...counted,
    name: rollup.gathers,
    of: of.value,
    filter: filter.value,
    distinct: rollup.distinct && of.value !== null,
    order: by.value ? [{ by: by.value, descending: rollup.descending }] : [],
    separator: rollup.gathers === 'string_agg' ? ', ' : null,
  };
  const text = printFormula(model, aggregate);
  const { expression, problems } = checkFormula(model, table.id, text);
  return expression ? good(text) : { ok: false, problem: problems[0] ?? { message: 'It cannot be read.' } };
}

/** The expression with what it reads at one place of a set read at another. */
function moved(part: Expression, from: number, to: number): Expression {
  switch (part.do) {
    case 'value':
    case 'aggregate':
      return part;
    case 'field':
      return part.place === from ? { ...part, place: to } : part;
    case 'call':
      return { ...part, args: part.args.map((arg) => moved(arg, from, to)) };
    case 'case':
      return {
        ...part,
        whens: part.whens.map(({ when, then }) => ({ when: moved(when, from, to), then: moved(then, from, to) })),
        otherwise: part.otherwise && moved(part.otherwise, from, to),
      };
  }
}

/** Fields that can be gathered in a way, of the records themselves and of what each of them links to. */
export const isGatherable = (gathers: AggregateName, is: string): boolean => {
  const takes = gatherings.find((one) => one.gathers === gathers)?.takes;
  const ordered = ['number', 'date', 'timestamp', 'duration', 'text', 'boolean'];
  if (takes === 'number') return is === 'number' || is === 'money' || is === 'duration';
  if (takes === 'ordered') return ordered.includes(is);
  if (takes === 'text') return ['text', 'option', 'options'].includes(is);
  if (takes === 'yesNo') return is === 'boolean';
  return !['record', 'records'].includes(is);
};
