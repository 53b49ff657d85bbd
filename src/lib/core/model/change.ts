import { good, type Result } from '../problem';
import { applyAddField, invertAddField, type AddField } from './changes/addField';
import { applyAddTable, invertAddTable, type AddTable } from './changes/addTable';
import { applyChangeField, invertChangeField, type ChangeField } from './changes/changeField';
import { applyChangeTable, invertChangeTable, type ChangeTable } from './changes/changeTable';
import { applyMoveField, invertMoveField, type MoveField } from './changes/moveField';
import { applyRemoveField, invertRemoveField, type RemoveField } from './changes/removeField';
import { applyRemoveTable, invertRemoveTable, type RemoveTable } from './changes/removeTable';
import { fieldOf, tableOf, type Model, type TypeOf } from './model';

export type { AddField, AddTable, ChangeField, ChangeTable, MoveField, RemoveField, RemoveTable };

/** One edit of a model: plain, JSON-able, and the only way a structure is ever changed. */
export type Change = AddTable | ChangeTable | RemoveTable | AddField | ChangeField | RemoveField | MoveField;

/** The model after the change, or why it cannot be made. */
export function applyChange(model: Model, change: Change): Result<Model> {
  switch (change.do) {
    case 'addTable':
      return applyAddTable(model, change);
    case 'changeTable':
      return applyChangeTable(model, change);
    case 'removeTable':
      return applyRemoveTable(model, change);
    case 'addField':
      return applyAddField(model, change);
    case 'changeField':
      return applyChangeField(model, change);
    case 'removeField':
      return applyRemoveField(model, change);
    case 'moveField':
      return applyMoveField(model, change);
  }
}

/** The change that takes this one back. `model` is the model before it. */
export function invertChange(model: Model, change: Change): Change[] {
  switch (change.do) {
    case 'addTable':
      return [invertAddTable(model, change)];
    case 'changeTable':
      return [invertChangeTable(model, change)];
    case 'removeTable':
      return [invertRemoveTable(model, change)];
    case 'addField':
      return [invertAddField(model, change)];
    case 'changeField':
      return [invertChangeField(model, change)];
    case 'removeField':
      return [invertRemoveField(model, change), ...titleAgain(model, change)];
    case 'moveField':
      return [invertMoveField(model, change)];
  }
}

/** A title field that comes back from the bin becomes the title again. */
function titleAgain(model: Model, change: RemoveField): Change[] {
  const table = tableOf(model, change.table);
  return table.title === change.field ? [{ do: 'changeTable', table: table.id, set: { title: change.field } }] : [];
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

/** What a change does, in a few of the person's words. `model` is any model that knows its tables and fields. */
export function describeChange(model: Model, change: Change): string {
  const table = (id: string) => model.tables.find((other) => other.id === id)?.label ?? 'a table';
  const field = (owner: string, id: string) => model.tables.find((other) => other.id === owner)?.fields.find((other) => other.id === id)?.label ?? 'a field';
  switch (change.do) {
    case 'addTable':
      return `new table ${change.table.label}`;
    case 'changeTable':
      return `${table(change.table)}: ${Object.keys(change.set).join(', ')} changed`;
    case 'removeTable':
      return `table ${table(change.table)} to the bin`;
    case 'addField':
      return `new field ${table(change.table)}.${change.field.label}`;
    case 'changeField':
      return `${table(change.table)}.${field(change.table, change.field)}: ${Object.keys(change.set).join(', ')} changed`;
    case 'removeField':
      return `field ${table(change.table)}.${field(change.table, change.field)} to the bin`;
    case 'moveField':
      return `${table(change.table)}.${field(change.table, change.field)} moved`;
  }
}

/** The changes that put a table in the bin: first its own and the incoming links, then the table. */
export function changesToRemoveTable(model: Model, id: string): Change[] {
  const table = tableOf(model, id);
  const formulas = table.fields.filter(({ type }) => type.kind === 'formula').toReversed();
  const outward = table.fields.filter(({ type }) => type.kind === 'link');
  const inward = table.fields
    .filter(({ type }) => type.kind === 'counterpart')
    .map(({ type }) => fieldOf(model, (type as TypeOf<'counterpart'>).link))
    .filter(({ table: from }) => from.id !== id);
  return [
    ...[...formulas, ...outward].map((field) => ({ do: 'removeField', table: id, field: field.id }) as const),
    ...inward.map(({ field, table: from }) => ({ do: 'removeField', table: from.id, field: field.id }) as const),
    { do: 'removeTable', table: id },
  ];
}
