import { bad, good, type Result } from '../base/problem';
import { canonicalNumber, Exact } from '../fieldTypes/number';
import { isEnteredType, takeValue } from '../fieldTypes/registry';
import { pathTo } from '../filled/path';
import { shownType } from '../formula/shownType';
import { fieldOf, linkedTable, valueTypeOf } from '../model/model';
import { isSamePath, type LinkedWith } from '../query/query';
import type { Expression, Scalar, ValueType } from '../types/expression';
import type { Field, FieldType } from '../types/field';
import type { Model } from '../types/model';
import type { Asked, PageFilter } from '../types/summary';
import type { SortPart } from '../types/view';
import { plusSpans, shiftedBack, type Lying } from './periods';

/** What was chosen in a filter of a page. */
export type Choice =
  | { readonly from?: string; readonly until?: string }
  | { readonly least?: number; readonly most?: number }
  | { readonly is: readonly unknown[] };

/** By the ids of the page's filters. */
export type Choices = Readonly<Record<string, Choice>>;

const value = (type: ValueType, scalar: Scalar): Expression => ({ do: 'value', type, value: scalar });
const call = (name: string, ...args: Expression[]): Expression => ({ do: 'call', name, args, type: { is: 'boolean' } });

/** Conditions that hold together; null where there are none. */
export const allOf = (conditions: readonly (Expression | null)[]): Expression | null => {
  const [first, ...others] = conditions.filter((one): one is Expression => one !== null);
  return first === undefined ? null : others.length === 0 ? first : call('and', first, ...others);
};

/** That a day, or the day of an instant, lies in a stretch whose ends may be open. */
function inside(
  path: Expression,
  { from, until }: { from?: string | undefined; until?: string | undefined },
): Expression | null {
  // Without a zone it is what the workspace's clocks say.
  const edge = (day: string) => value(path.type, path.type.is === 'timestamp' ? `${day}T00:00:00` : day);
  return allOf([from ? call('>=', path, edge(from)) : null, until ? call('<', path, edge(until)) : null]);
}

/** A value as JSON says it, as one of a field's type; null is blank. */
function taken(type: FieldType, json: unknown): Result<Scalar> {
  return isEnteredType(type)
    ? takeValue(json, type)
    : bad('Records cannot be found by such a value.', 'Filter the table instead.');
}

const day = (json: unknown): Result<Scalar> => takeValue(json, { kind: 'date' });
const number = (json: unknown): Result<Scalar> => takeValue(json, { kind: 'number', digits: null });

/** Of amounts in a chosen currency both parts are asked for, as no literal of the language has them. */
function equal(path: Expression, scalar: Scalar): Expression {
  if (path.type.is !== 'money') return call('=', path, value(path.type, scalar));
  const [amount = '', currency = ''] = String(scalar).split(' ');
  const part = (name: string, type: ValueType): Expression => ({ do: 'call', name, args: [path], type });
  return call(
    'and',
    call('=', part('amount', { is: 'number' }), value({ is: 'number' }, amount)),
    call('=', part('currency', { is: 'text' }), value({ is: 'text' }, currency)),
  );
}

/** That a field has one of some values, as JSON says them; blank is null. */
function oneOf(model: Model, field: Field, path: Expression, all: readonly unknown[]): Result<Expression> {
  const type = shownType(model, field);
  const conditions: Expression[] = [];
  for (const one of all) {
    // Of several options one alone is asked for, unless it is all of a list.
    const isOne = type.kind === 'options' && !Array.isArray(one);
    const read = taken(isOne ? { ...type, kind: 'option' } : type, one);
    if (!read.ok) return read;
    if (read.value === null) conditions.push(call('is null', path));
    else if (isOne) conditions.push(call('in options', value({ is: 'text' }, read.value), path));
    else conditions.push(equal(path, read.value));
  }
  const [first, ...others] = conditions;
  if (!first) return bad('Nothing is chosen.', 'Choose at least one, or leave the filter out.');
  return good(others.length === 0 ? first : call('or', first, ...others));
}

/** The records of a group: its key as the totals say it. */
export function ofGroup(
  model: Model,
  part: SortPart,
  key: unknown,
  moved: (day: string) => string = (day) => day,
): Result<{ readonly condition: Expression | null; readonly of: LinkedWith | null }> {
  const { field } = fieldOf(model, part.field);
  const only = (condition: Expression | null) => good({ condition, of: null });
  const target = part.by === 'each' ? linkedTable(model, field)?.table : undefined;
  if (target) {
    const id = taken({ kind: 'link', to: target.id, onDelete: 'clear', counterpart: '' }, key);
    return id.ok && typeof id.value === 'number'
      ? good({ condition: null, of: { field: field.id, id: id.value } })
      : bad('Records that are linked with none cannot be listed here.', 'Filter the table by the link.');
  }
  const path = pathTo(field, part.via);
  if (key === null) return only(call('is null', path));
  if (typeof part.by === 'number') {
    const least = number(key);
    if (!least.ok) return least;
    const edge = (one: Scalar) => value({ is: 'number' }, one);
    const end = canonicalNumber(new Exact(String(least.value)).plus(part.by));
    return only(call('and', call('>=', path, edge(least.value)), call('<', path, edge(end))));
  }
  if (part.by !== undefined && part.by !== 'each') {
    const first = day(key);
    if (!first.ok) return first;
    const from = String(first.value);
    return only(inside(path, { from: moved(from), until: moved(plusSpans(part.by, from, 1)) }));
  }
  const one = oneOf(model, field, path, [key]);
  return one.ok ? only(one.value) : one;
}

/** That a record lies in a period as it lies now, or in what that is held against. */
export function inPeriod(model: Model, asked: Pick<Asked, 'period'>, lying: Lying | null, against = false) {
  const stretch = against ? lying?.against : lying;
  if (!asked.period || !stretch) return null;
  return inside(pathTo(fieldOf(model, asked.period.field.field).field, asked.period.field.via), stretch);
}

/** The day that a group of the stretch held against has in truth. */
export const movedBack = (lying: Lying | null, asked: Pick<Asked, 'period'>, part: SortPart, against: boolean) =>
  against && lying && asked.period && isSamePath(asked.period.field, part)
    ? (day: string) => shiftedBack(day, lying.shift)
    : (day: string) => day;

/** How a choice over a page is made, by the field it is of. */
export type ChoiceKind = 'days' | 'numbers' | 'values';

export function choiceKind(field: Field): ChoiceKind {
  const { is } = valueTypeOf(field);
  return is === 'date' || is === 'timestamp' ? 'days' : is === 'number' ? 'numbers' : 'values';
}

/** What the ends of a choice are called. */
const choiceEdges: { readonly [K in ChoiceKind]: readonly string[] } = {
  days: ['from', 'until'],
  numbers: ['least', 'most'],
  values: [],
};

const textOr = (value: Scalar | undefined): string | undefined =>
  value === undefined || value === null ? undefined : String(value);

/** What a page's choice says of the records of a table; null where its filter has no field of that table. */
export function chosenIn(
  model: Model,
  table: string,
  filter: PageFilter,
  choice: Choice,
): Result<Expression | null> | null {
  const found = filter.fields.find((one) => one.table === table);
  if (!found) return null;
  const { field } = fieldOf(model, found.field.field);
  const path = pathTo(field, found.field.via);
  if ('is' in choice) return choice.is.length === 0 ? good(null) : oneOf(model, field, path, choice.is);
  const isDays = choiceKind(field) === 'days';
  const [low, high] = choiceEdges[choiceKind(field)].map((name) => (choice as Readonly<Record<string, unknown>>)[name]);
  if (low === undefined && high === undefined)
    return Object.keys(choice).length === 0
      ? good(null)
      : bad(
          `${filter.label} is not chosen so.`,
          'Choose values with `is`, days with `from` and `until`, numbers with `least` and `most`.',
        );
  const edges = [low, high].map((one) => (one === undefined ? null : (isDays ? day : number)(one)));
  const wrong = edges.find((edge) => edge?.ok === false);
  if (wrong?.ok === false) return wrong;
  const [from, until] = edges.map((edge) => (edge?.ok ? edge.value : undefined));
  if (isDays) return good(inside(path, { from: textOr(from), until: textOr(until) }));
  const edge = (one: Scalar) => value({ is: 'number' }, one);
  return good(
    allOf([
      from === undefined ? null : call('>=', path, edge(from)),
      until === undefined ? null : call('<=', path, edge(until)),
    ]),
  );
}
