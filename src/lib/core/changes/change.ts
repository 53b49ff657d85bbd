import { good, type Result } from '../base/problem';
import type { Change } from '../types/change';
import type { TypeOf } from '../types/field';
import type { Model } from '../types/model';
import { addField } from './kinds/addField';
import { addRule } from './kinds/addRule';
import { addTable } from './kinds/addTable';
import { changeField } from './kinds/changeField';
import { changeTable } from './kinds/changeTable';
import { copyValues } from './kinds/copyValues';
import type { ChangeDescriptor, Names } from './kinds/descriptor';
import { moveField } from './kinds/moveField';
import { addPart, changePart, removePart } from './kinds/parts';
import { compareValues, copyRecords, pointLinks, removeRecords, setValues } from './kinds/records';
import { removeField } from './kinds/removeField';
import { removeRule } from './kinds/removeRule';
import { removeTable } from './kinds/removeTable';
import type { TableId } from '../types/identity';
import { partsOf } from '../types/part';
import { fieldOf, tableOf } from '../model/model';

/** The registry: each kind of change stands here once. */
export const changeDescriptors: {
  readonly [K in Change['do']]: ChangeDescriptor<Extract<Change, { readonly do: K }>>;
} = {
  addTable,
  changeTable,
  removeTable,
  addField,
  changeField,
  removeField,
  moveField,
  addRule,
  removeRule,
  addPart,
  changePart,
  removePart,
  copyValues,
  copyRecords,
  setValues,
  pointLinks,
  removeRecords,
  compareValues,
};

// The registry maps each kind to its own type, which TypeScript cannot follow through a union.
const descriptorOf = (change: Change) => changeDescriptors[change.do] as ChangeDescriptor<Change>;

/** The model after the change, or why it cannot be made. */
export const applyChange = (model: Model, change: Change): Result<Model> => descriptorOf(change).apply(model, change);

/** The changes that undo this one. `model` is the model before it. */
export const invertChange = (model: Model, change: Change): readonly Change[] =>
  descriptorOf(change).invert(model, change);

/**
 * What a change does, in a few of the person's words. `model` is any model that knows its tables and fields, `before`
 * the one before the change.
 */
export function describeChange(model: Model, change: Change, before: Model = model): string {
  const tableNamed = (id: string) => model.tables.find((other) => other.id === id);
  const table = (id: string) => tableNamed(id)?.label ?? 'a table';
  const field = (owner: string, id: string) =>
    tableNamed(owner)?.fields.find((other) => other.id === id)?.label ?? 'a field';
  const names: Names = { model, before, table, field, path: (owner, id) => `${table(owner)}.${field(owner, id)}` };
  return descriptorOf(change).words(change, names);
}

/** Whether a change leaves the structure as it is: it only works on records. */
export const isOfRecords = (change: Change): boolean => descriptorOf(change).ofRecords === true;

const tableOfChange = (change: Change): TableId | null => (change.do === 'addTable' ? change.table.id : change.table);

/**
 * Whether a later change stands on an earlier one, so that undoing the earlier by itself would undo the later in part,
 * or leave it without what it is about. Places in an order never matter.
 */
export function standsOn(later: Change, earlier: Change): boolean {
  if (earlier.do === 'moveField' || later.do === 'moveField') return false;
  if (earlier.do === 'addTable' || earlier.do === 'removeTable' || later.do === 'removeTable')
    return tableOfChange(later) === tableOfChange(earlier);
  const about = new Set(descriptorOf(earlier).subjects(earlier));
  if (
    !descriptorOf(later)
      .subjects(later)
      .some((subject) => about.has(subject))
  )
    return false;
  if (earlier.do !== 'changeField' || later.do !== 'changeField') return true;
  return Object.keys(later.set).some((name) => name in earlier.set);
}

/** Applies changes in order; stops at the first that cannot be made and says which (`at` is `/changes/N`). */
export function applyChanges(model: Model, changes: readonly Change[]): Result<{ model: Model; inverse: Change[] }> {
  let current = model;
  let inverse: Change[] = [];
  for (const [index, change] of changes.entries()) {
    const next = applyChange(current, change);
    if (!next.ok) return { ok: false, problem: { ...next.problem, at: `/changes/${index}` } };
    inverse = [...invertChange(current, change), ...inverse];
    current = next.value;
  }
  return good({ model: current, inverse });
}

/**
 * The changes that put a table in the bin: first what it calculates, its own and the incoming links, then the table.
 */
export function changesToRemoveTable(model: Model, id: string): Change[] {
  const table = tableOf(model, id);
  const formulas = table.fields.filter(({ type }) => type.kind === 'formula').toReversed();
  const rules = table.rules ?? [];
  const pairs = table.fields.flatMap(({ type }) =>
    type.kind === 'counterpart' && type.over !== undefined ? [type.from] : [],
  );
  const outward = table.fields.filter(({ type }) => type.kind === 'link');
  const inward = table.fields
    .filter(({ type }) => type.kind === 'counterpart' && type.over === undefined)
    .map(({ type }) => fieldOf(model, (type as TypeOf<'counterpart'>).link))
    .filter(({ table: from }) => from.id !== id);
  return [
    // Brought back, the feed is made again, from what its sources are by then.
    ...partsOf(table, 'feed').map((feed) => ({ do: 'removePart', kind: 'feed', table: id, part: feed.id }) as const),
    ...formulas.map((field) => ({ do: 'removeField', table: id, field: field.id }) as const),
    ...rules.map((rule) => ({ do: 'removeRule', table: id, rule: rule.id }) as const),
    ...[...new Set(pairs)].flatMap((one) => changesToRemoveTable(model, one)),
    ...outward.map((field) => ({ do: 'removeField', table: id, field: field.id }) as const),
    ...inward.map(({ field, table: from }) => ({ do: 'removeField', table: from.id, field: field.id }) as const),
    { do: 'removeTable', table: id },
  ];
}
