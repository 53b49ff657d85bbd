import { bad, good, type Result } from '../base/problem';
import { takeValue, type EnteredType } from '../fieldTypes/registry';
import { pathTo } from '../filled/path';
import { shownType } from '../formula/shownType';
import { fieldOf, valueTypeOf } from '../model/model';
import type { LinkedWith } from '../query/query';
import type { Expression, Scalar, ValueType } from '../types/expression';
import type { Field } from '../types/field';
import type { Model } from '../types/model';
import type { Asked, PageFilter } from '../types/summary';
import type { SortPart } from '../types/view';
import { plusSpans, shiftedBack, type Lying, type Stretch } from './periods';

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
function inside(path: Expression, { from, until }: Partial<Stretch>): Expression | null {
  // Without a zone it is what the workspace's clocks say.
  const edge = (day: string) => value(path.type, path.type.is === 'timestamp' ? `${day}T00:00:00` : day);
  return allOf([from ? call('>=', path, edge(from)) : null, until ? call('<', path, edge(until)) : null]);
}

/** That a field has one of some values, as JSON says them; blank is null. */
function oneOf(model: Model, field: Field, path: Expression, all: readonly unknown[]): Result<Expression> {
  const type = shownType(model, field);
  const options = type.kind === 'option' || type.kind === 'options' ? type.options : [];
  const conditions: Expression[] = [];
  for (const one of all) {
    if (one === null) conditions.push(call('is null', path));
    else if (typeof one === 'object' && 'id' in one) conditions.push(call('=', path, value(path.type, Number(one.id))));
    else if (type.kind === 'options') {
      const id = options.find(({ label }) => label === one)?.id ?? String(one);
      conditions.push(call('in options', value({ is: 'text' }, id), path));
    } else {
      const taken = takeValue(one, type as EnteredType);
      if (!taken.ok) return taken;
      conditions.push(call('=', path, value(path.type, taken.value)));
    }
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
  if (part.by === 'each' && field.type.kind === 'counterpart') {
    const id = (key as { id?: unknown } | null)?.id;
    return typeof id === 'number'
      ? good({ condition: null, of: { field: field.id, id } })
      : bad('Records that are linked with none cannot be listed here.', 'Filter the table by the link.');
  }
  const path = pathTo(field, part.via);
  if (key === null) return only(call('is null', path));
  if (typeof part.by === 'number') {
    const least = Number(key);
    const edge = (number: number) => value({ is: 'number' }, String(number));
    return only(call('and', call('>=', path, edge(least)), call('<', path, edge(least + part.by))));
  }
  if (part.by !== undefined && part.by !== 'each') {
    const day = String(key);
    return only(inside(path, { from: moved(day), until: moved(plusSpans(part.by, day, 1)) }));
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
  against && lying && isSamePath(asked.period?.field, part)
    ? (day: string) => shiftedBack(day, lying.shift)
    : (day: string) => day;

const isSamePath = (one: SortPart | undefined, other: SortPart): boolean =>
  one?.field === other.field && (one.via ?? []).join() === (other.via ?? []).join();

/** How a choice over a page is made, by the field it is of. */
export type ChoiceKind = 'days' | 'numbers' | 'values';

export function choiceKind(field: Field): ChoiceKind {
  const { is } = valueTypeOf(field);
  return is === 'date' || is === 'timestamp' ? 'days' : is === 'number' ? 'numbers' : 'values';
}

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
  if ('least' in choice || 'most' in choice) {
    const edge = (number: number) => value({ is: 'number' }, String(number));
    return good(
      allOf([
        choice.least === undefined ? null : call('>=', path, edge(choice.least)),
        choice.most === undefined ? null : call('<=', path, edge(choice.most)),
      ]),
    );
  }
  return good(inside(path, choice as Partial<Stretch>));
}
