import type { Expression, ValueType } from '../formula/expression';
import type { FieldId, TableId } from './identity';

/** The twelve dyes a table can have; their colours are tokens of the interface. */
export const dyes = ['woad', 'madder', 'weld', 'heather', 'moss', 'rust', 'indigo', 'cochineal', 'walnut', 'sage', 'slate', 'plum'] as const;
export type Dye = (typeof dyes)[number];

/** One of the words of an option field. Its id is made from the first label and stays when the label changes. */
export interface Option {
  readonly id: string;
  readonly label: string;
  readonly dye: Dye;
}

/** What becomes of a record's links when the record they point at is deleted. */
export type DeletionRule = 'prevent' | 'clear' | 'remove';

export type FieldType =
  | { readonly kind: 'text'; readonly maxLength?: number }
  /** `digits`: decimals kept and shown; null keeps what is entered. */
  | { readonly kind: 'number'; readonly digits: number | null; readonly unit?: string }
  | { readonly kind: 'yesNo' }
  | { readonly kind: 'date' }
  | { readonly kind: 'option'; readonly options: readonly Option[] }
  /** A reference to one record of `to`; `counterpart` is the field of that table which shows the other side. */
  | { readonly kind: 'link'; readonly to: TableId; readonly onDelete: DeletionRule; readonly counterpart: FieldId }
  /** The other side of a link: the records of table `from` whose field `link` points here. Stores nothing. */
  | { readonly kind: 'counterpart'; readonly from: TableId; readonly link: FieldId }
  | { readonly kind: 'formula'; readonly formula: Expression; readonly result: ValueType };

export type FieldKind = FieldType['kind'];
export type TypeOf<K extends FieldKind> = Extract<FieldType, { kind: K }>;

export interface Field {
  readonly id: FieldId;
  readonly key: string;
  readonly label: string;
  readonly help: string;
  readonly required: boolean;
  readonly unique: boolean;
  readonly type: FieldType;
}

export interface Table {
  readonly id: TableId;
  readonly key: string;
  readonly label: string;
  readonly description: string;
  readonly dye: Dye;
  /** The field a record is known by; null shows the record's number. */
  readonly title: FieldId | null;
  readonly fields: readonly Field[];
}

/** The structure of one workspace: an immutable, JSON-able value. */
export interface Model {
  readonly tables: readonly Table[];
}

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

/** Finds a table by key or identity, as programs name it. */
export const tableNamed = (model: Model, name: string): Table | undefined => model.tables.find((table) => table.key === name || table.id === name);

/** Finds a field of a table by key or identity, as programs name it. */
export const fieldNamed = (table: Table, name: string): Field | undefined => table.fields.find((field) => field.key === name || field.id === name);

/** Fields that have a column of their own in the database. */
export const isStored = (field: Field): boolean => field.type.kind !== 'counterpart';

/** Fields that a person can fill in. */
export const isEntered = (field: Field): boolean => field.type.kind !== 'counterpart' && field.type.kind !== 'formula';

/** The field as one of this kind; calling it with another kind is a fault. */
export function typeAs<K extends FieldKind>(field: Field, kind: K): TypeOf<K> {
  if (field.type.kind !== kind) throw new Error(`field ${field.key} is ${field.type.kind}, not ${kind}`);
  return field.type as TypeOf<K>;
}

/** What a field's values are in formulas. */
export function valueTypeOf(field: Field): ValueType {
  const type = field.type;
  switch (type.kind) {
    case 'text':
    case 'number':
    case 'date':
      return { is: type.kind };
    case 'yesNo':
      return { is: 'boolean' };
    case 'option':
      return { is: 'option', field: field.id };
    case 'link':
      return { is: 'record', table: type.to };
    case 'counterpart':
      return { is: 'records', table: type.from };
    case 'formula':
      return type.result;
  }
}

/** The type a field's values are shown, compared and edited as: a formula by its result. */
export function shownType(model: Model, field: Field): FieldType {
  if (field.type.kind !== 'formula') return field.type;
  const { result } = field.type;
  switch (result.is) {
    case 'number':
      return { kind: 'number', digits: null };
    case 'boolean':
      return { kind: 'yesNo' };
    case 'date':
      return { kind: 'date' };
    case 'option':
      return fieldOf(model, result.field).field.type;
    default:
      return { kind: 'text' };
  }
}
