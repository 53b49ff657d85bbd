import { bad, good, type Result } from '../../base/problem';
import { checkKey, freeKey, keyFromLabel } from '../../base/key';
import type { Model, Table } from '../../types/model';
import type { Field } from '../../types/field';

const longestLabel = 120;

function checkLabel(label: string): Result<string> {
  if (label.trim() === '') return bad('The label is empty.', 'Write what people will read.');
  if (label.length > longestLabel) return bad(`The label has ${label.length} characters; ${longestLabel} is the most.`);
  return good(label);
}

/** Key and label of a table are well made and not another table's. */
export function checkTableNames(model: Model, table: Table): Result<true> {
  for (const checked of [checkLabel(table.label), checkKey(table.key)]) if (!checked.ok) return checked;
  for (const other of model.tables) {
    if (other.id === table.id || other.home !== table.home) continue;
    if (other.key === table.key)
      return bad(`There is a table with the key ${table.key} already.`, 'Choose another key.');
    // Of what is private to somebody nobody else is told.
    const seesBoth = other.privateTo === undefined || other.privateTo === table.privateTo;
    if (seesBoth && other.label.toLowerCase() === table.label.toLowerCase())
      return bad(`There is a table ${other.label} already.`, 'Choose another label.');
  }
  return good(true);
}

/** Keys and labels of a table's fields are well made and each there once. */
export function checkFields(fields: readonly Field[]): Result<true> {
  const keys = new Set<string>();
  const labels = new Set<string>();
  for (const field of fields) {
    for (const checked of [checkLabel(field.label), checkKey(field.key)]) if (!checked.ok) return checked;
    if (keys.has(field.key)) return bad(`There is a field with the key ${field.key} already.`, 'Choose another key.');
    if (labels.has(field.label.toLowerCase()))
      return bad(`There is a field “${field.label}” already.`, 'Choose another label.');
    keys.add(field.key);
    labels.add(field.label.toLowerCase());
  }
  return good(true);
}

/** A key for a new field of this label that the table does not have yet. */
export const newFieldKey = (fields: readonly Field[], label: string): string =>
  freeKey(keyFromLabel(label, 'field'), new Set(fields.map(({ key }) => key)));

/** A key for a new table of this label that the workspace does not have yet, nor what else is `taken` there. */
export const newTableKey = (model: Model, label: string, taken: readonly string[] = []): string =>
  freeKey(
    keyFromLabel(label, 'table'),
    new Set([...model.tables.filter(({ home }) => home === undefined).map(({ key }) => key), ...taken]),
  );

/** The label, or the first of `label 2`, `label 3`, … that is not taken. */
export function freeLabel(label: string, taken: readonly string[]): string {
  const used = new Set(taken.map((other) => other.toLowerCase()));
  if (!used.has(label.toLowerCase())) return label;
  for (let n = 2; ; n++) if (!used.has(`${label} ${n}`.toLowerCase())) return `${label} ${n}`;
}
