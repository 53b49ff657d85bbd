import { bad, good, type Result } from '../../base/problem';
import { findField, fieldOf } from '../../model/model';
import type { Model } from '../../types/model';
import { replaceTable } from '../../model/replace';
import type { MoveField } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';

function applyMoveField(model: Model, change: MoveField): Result<Model> {
  const found = findField(model, change.field);
  if (!found || found.table.id !== change.table) return bad('There is no such field.');
  const { field, table } = found;
  if (change.to < 0 || change.to >= table.fields.length) return bad('That place is outside the table.');
  const fields = table.fields.filter((other) => other !== field).toSpliced(change.to, 0, field);
  return good(replaceTable(model, { ...table, fields }));
}

function invertMoveField(model: Model, change: MoveField): MoveField {
  const { field, table } = fieldOf(model, change.field);
  return { ...change, to: table.fields.indexOf(field) };
}

export const moveField: ChangeDescriptor<MoveField> = {
  apply: applyMoveField,
  invert: (model, change) => [invertMoveField(model, change)],
  subjects: () => [],
  words: ({ table, field, to }, { path }) => `${path(table, field)} moved to place ${to + 1}`,
};
