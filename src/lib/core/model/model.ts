import { fieldKinds, formulaType } from '../fieldTypes/registry';
import type { ValueType } from '../types/expression';
import type { FieldId, TableId } from '../types/identity';
import { type Model, type Table } from '../types/model';
import { type Field, type FieldKind, type TypeOf, systemKinds } from '../types/field';

export const emptyModel: Model = { tables: [] };

interface Index {
  readonly tables: ReadonlyMap<TableId, Table>;
  readonly fields: ReadonlyMap<FieldId, { readonly field: Field; readonly table: Table }>;
}

// A model never changes, so its index can be kept as long as the model is.
const indexes = new WeakMap<Model, Index>();

function indexOf(model: Model): Index {
  const known = indexes.get(model);
  if (known) return known;
  const tables = new Map<TableId, Table>();
  const fields = new Map<FieldId, { field: Field; table: Table }>();
  for (const table of model.tables) {
    tables.set(table.id, table);
    for (const field of table.fields) fields.set(field.id, { field, table });
  }
  const index = { tables, fields };
  indexes.set(model, index);
  return index;
}

/** The table with this identity; a missing one is a fault of the caller, as identities are checked at the edge. */
export function tableOf(model: Model, id: TableId): Table {
  const table = indexOf(model).tables.get(id);
  if (!table) throw new Error(`no table ${id} in the model`);
  return table;
}

export const findTable = (model: Model, id: TableId): Table | undefined => indexOf(model).tables.get(id);

/** The field with this identity and its table; a missing one is a fault of the caller. */
export function fieldOf(model: Model, id: FieldId): { readonly field: Field; readonly table: Table } {
  const found = indexOf(model).fields.get(id);
  if (!found) throw new Error(`no field ${id} in the model`);
  return found;
}

export const findField = (model: Model, id: FieldId) => indexOf(model).fields.get(id);

/**
 * Finds a table by key or identity, as programs name it; a table of another workspace by identity or `workspace.key`.
 */
export const tableNamed = (model: Model, name: string): Table | undefined =>
  model.tables.find(({ id, key, home }) => id === name || (home === undefined ? key : `${home}.${key}`) === name);

/** Finds a field of a table by key or identity, as programs name it. */
export const fieldNamed = (table: Table, name: string): Field | undefined =>
  table.fields.find((field) => field.key === name || field.id === name);

/** Fields that have a column of their own in the database. */
export const isStored = (field: Field): boolean => field.type.kind !== 'counterpart';

export const isSystem = (field: Field): boolean => (systemKinds as readonly string[]).includes(field.type.kind);

/** Fields whose column a write names: those that people fill in, and running numbers brought along by a load. */
export const isWritten = (field: Field): boolean =>
  !isSystem(field) && field.type.kind !== 'counterpart' && field.type.kind !== 'formula' && field.veiled !== true;

/** Fields whose values PostgreSQL gives to new records. */
export const isNumbered = ({ type }: Pick<Field, 'type'>): boolean => fieldKinds[type.kind].numbered === true;

/** Fields that a person can fill in. A link to many is entered, too, though its pairs are stored elsewhere. */
export const isEntered = (field: Field): boolean =>
  !field.still && !isFed(field) && ((isWritten(field) && !isNumbered(field)) || isToMany(field));

/** The link of a feed's source: only the feed writes it. */
export const isFed = ({ type }: Pick<Field, 'type'>): boolean => type.kind === 'link' && type.fed === true;

/** One side of a link to many. */
export const isToMany = (field: Field): boolean => field.type.kind === 'counterpart' && field.type.over !== undefined;

/** The link on which a link to many goes on from its pairs to the far side. */
export const overOf = (field: Field | undefined): FieldId | undefined =>
  field?.type.kind === 'counterpart' ? field.type.over : undefined;

/** Fields that people see outside Structure. */
export const isShown = (field: Field): boolean => !field.off;

/** The tables people see: not those that hold the pairs of links to many, nor other workspaces'. */
export const ownTables = (model: Model): readonly Table[] =>
  model.tables.filter(({ pairs, home }) => !pairs && home === undefined);

/** The records a field of links leads to: the table, and whether there can be several. Null for other fields. */
export function linkedTable(model: Model, field: Field): { readonly table: Table; readonly many: boolean } | null {
  const { type } = field;
  if (type.kind === 'link') return { table: tableOf(model, type.to), many: false };
  if (type.kind !== 'counterpart') return null;
  if (type.over === undefined)
    return { table: tableOf(model, type.from), many: !fieldOf(model, type.link).field.unique };
  return { table: tableOf(model, typeAs(fieldOf(model, type.over).field, 'link').to), many: true };
}

/** The field as one of this kind; calling it with another kind is a fault. */
export function typeAs<K extends FieldKind>(field: Field, kind: K): TypeOf<K> {
  if (field.type.kind !== kind) throw new Error(`field ${field.key} is ${field.type.kind}, not ${kind}`);
  return field.type as TypeOf<K>;
}

/** What a field's values are in formulas. */
export const valueTypeOf = ({ type, id }: Field): ValueType => formulaType(type, id);
