import { bad, good, type Result } from '../base/problem';
import { checkCondition, checkFormula } from '../formula/checker';
import { dependenciesOf } from '../flow/dependencies';
import { printFormula } from '../formula/printer';
import { fieldNamed, fieldOf, tableNamed, tableOf } from '../model/model';
import type { Expression } from '../types/expression';
import type { Field } from '../types/field';
import type { Model, Table } from '../types/model';
import type { FilledField } from '../types/recordChange';
/** Anything as programs write it. */
export type Written = Readonly<Record<string, unknown>>;

/** A table as programs name it. */
export function readTable(model: Model, name: unknown, at: string): Result<Table> {
  const table = typeof name === 'string' ? tableNamed(model, name) : undefined;
  return table ? good(table) : bad(`There is no table “${String(name)}”.`, 'Use a key from the model.', at);
}

/** A field of a table, as programs name it. */
export function readField(table: Table, name: unknown, at: string): Result<Field> {
  const field = typeof name === 'string' ? fieldNamed(table, name) : undefined;
  return field
    ? good(field)
    : bad(
        `${table.label} has no field “${String(name)}”.`,
        `Its fields are ${table.fields.map(({ key }) => key).join(', ')}.`,
        at,
      );
}

/** How a table is named where it may be another workspace's. */
export const tableKey = ({ home, key }: Table): string => (home === undefined ? key : `${home}.${key}`);

/** A formula over a table; the first problem, with its place. */
export function readFormula(model: Model, table: Table, text: unknown, at: string): Result<Expression> {
  const { expression, problems } = checkFormula(model, table.id, String(text));
  const [problem] = problems;
  return expression
    ? good(expression)
    : { ok: false, problem: { ...(problem ?? { message: 'This is no formula.' }), at } };
}

/** A condition over a table, null where none is written; the first problem, with its place. */
export function readCondition(model: Model, table: Table, json: unknown, at: string): Result<Expression | null> {
  const text = typeof json === 'string' ? json.trim() : '';
  if (text === '') return good(null);
  const { expression, problems } = checkCondition(model, table.id, text);
  return expression
    ? good(expression)
    : { ok: false, problem: { ...(problems[0] ?? { message: 'This is no condition.' }), at } };
}

/** A formula as programs write it; blank where it reads what is gone. */
export const printStanding = (model: Model, formula: Expression, names: 'keys' | 'labels' = 'keys'): string =>
  dependenciesOf(model, formula).missing === undefined ? printFormula(model, formula, names) : '';

/** The field of a link's target that texts are compared with, unless another is said: the title. */
const matchOf = (model: Model, field: Field): string | undefined =>
  field.type.kind === 'link' ? (tableOf(model, field.type.to).title ?? undefined) : undefined;

/** `{field, formula, match?, missing?}` over records of `source`. */
export function readFilled(model: Model, owner: Table, source: Table, json: Written, at: string): Result<FilledField> {
  const field = readField(owner, json.field, `${at}/field`);
  if (!field.ok) return field;
  const formula = readFormula(model, source, json.formula, `${at}/formula`);
  if (!formula.ok) return formula;
  const { type } = field.value;
  if (type.kind !== 'link' || formula.value.type.is === 'record' || formula.value.type.is === 'blank')
    return good({ field: field.value.id, from: { is: 'formula', formula: formula.value } });
  const target = tableOf(model, type.to);
  const match = json.match === undefined ? good(null) : readField(target, json.match, `${at}/match`);
  if (!match.ok) return match;
  const compared = match.value?.id ?? matchOf(model, field.value);
  if (compared === undefined)
    return bad(`${target.label} has no title to compare with.`, 'Say which field in `match`.', `${at}/match`);
  return good({
    field: field.value.id,
    from: { is: 'formula', formula: formula.value },
    match: compared,
    missing: json.missing === 'create' ? 'create' : 'setAside',
  });
}

/** What `readFilled` reads; null for what comes of the transfer itself. */
export function printFilled(model: Model, { field, from, match, missing }: FilledField): Written | null {
  const key = fieldOf(model, field).field.key;
  if (from.is !== 'formula') return null;
  return {
    field: key,
    formula: printStanding(model, from.formula),
    ...(match === undefined ? {} : { match: fieldOf(model, match).field.key }),
    ...(missing === undefined ? {} : { missing }),
  };
}

/** Reads a list, each at its place; the first problem. */
export function readAll<T>(json: unknown, at: string, read: (one: Written, at: string) => Result<T>): Result<T[]> {
  const all: T[] = [];
  for (const [index, one] of (Array.isArray(json) ? (json as Written[]) : []).entries()) {
    const result = read(one, `${at}/${index}`);
    if (!result.ok) return result;
    all.push(result.value);
  }
  return good(all);
}
