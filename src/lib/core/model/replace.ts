import type { Model, Table } from '../types/model';

/** The model with this table in place of the one with the same identity. */
export const replaceTable = (model: Model, table: Table): Model => ({
  ...model,
  tables: model.tables.map((other) => (other.id === table.id ? table : other)),
});
