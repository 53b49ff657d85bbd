import { dependenciesOf } from '../flow/dependencies';
import type { Expression } from '../types/expression';
import type { FieldId, TableId } from '../types/identity';
import { findField, linkedTable } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import type { View } from '../types/view';

/**
 * The tables whose records can change what a list of records shows: its own, those whose titles and counts stand in its
 * columns, and those that its filter, colours, order and groups reach. An open page reads again when one of them
 * changed.
 */
export function tablesRead(
  model: Model,
  table: Table,
  fields: readonly Field[],
  view?: Pick<View, 'filter' | 'colours' | 'sort' | 'groups'>,
): ReadonlySet<TableId> {
  const read = new Set<TableId>([table.id]);
  const ofField = (id: FieldId) => {
    const found = findField(model, id);
    if (!found) return;
    read.add(found.table.id);
    const linked = linkedTable(model, found.field);
    if (linked) read.add(linked.table.id);
  };
  const ofExpression = (expression: Expression) => {
    for (const { path, field } of dependenciesOf(model, expression).on) [...path, field].forEach(ofField);
  };
  for (const { id } of fields) ofField(id);
  if (view?.filter) ofExpression(view.filter);
  for (const { when } of view?.colours ?? []) ofExpression(when);
  for (const { field, via = [] } of [...(view?.sort ?? []), ...(view?.groups ?? [])]) [...via, field].forEach(ofField);
  return read;
}
