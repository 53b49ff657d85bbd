import type { Expression, Scalar, ValueType } from '../formula/expression';
import type { Icon } from './icons';
import type { FieldId, RuleId, TableId } from './identity';
import type { Form } from '../forms/form';
import type { View } from './view';

/** The twelve dyes a table can have; their colours are tokens of the interface. */
export const dyes = ['woad', 'madder', 'weld', 'heather', 'moss', 'rust', 'indigo', 'cochineal', 'walnut', 'sage', 'slate', 'plum'] as const;
export type Dye = (typeof dyes)[number];

/** One of the words of an option field. Its id is made from the first label and stays when the label changes. */
export interface Option {
  readonly id: string;
  readonly label: string;
  readonly dye: Dye;
  /** No longer offered; records that have it keep it. */
  readonly retired?: true;
}

/** What becomes of a record's links when the record they point at is deleted. */
export type DeletionRule = 'prevent' | 'clear' | 'remove';

/** What both kinds of lists share. */
interface OptionList {
  readonly options: readonly Option[];
  /** People may add other values while they enter records. */
  readonly open?: true;
  /** How it is entered; a menu unless said otherwise. */
  readonly entry?: 'buttons';
}

export type FieldType =
  | { readonly kind: 'text'; readonly maxLength?: number }
  | { readonly kind: 'longText'; readonly markdown?: true }
  /** `digits`: decimals kept and shown; null keeps what is entered. */
  | { readonly kind: 'number'; readonly digits: number | null; readonly unit?: string }
  /** `currency`: an ISO 4217 code; null lets each record choose. */
  | { readonly kind: 'money'; readonly currency: string | null; readonly digits: number }
  /** Held as the fraction that formulas count with: 12.5 % is 0.125. `digits` counts the decimals before the sign. */
  | { readonly kind: 'percent'; readonly digits: number | null }
  | { readonly kind: 'yesNo' }
  | { readonly kind: 'date' }
  /** An instant, to the second; shown and read in the workspace's zone. */
  | { readonly kind: 'dateTime' }
  /** A length of time, to the second. */
  | { readonly kind: 'duration' }
  | ({ readonly kind: 'option' } & OptionList)
  | ({ readonly kind: 'options' } & OptionList)
  /** A reference to one record of `to`; `counterpart` is the field of that table which shows the other side. */
  | {
      readonly kind: 'link';
      readonly to: TableId;
      readonly onDelete: DeletionRule;
      readonly counterpart: FieldId;
      /** Fields of the target that are shown beside its title when one chooses. */
      readonly shows?: readonly FieldId[];
      /** The candidates offered: a condition over this record; `place` 0 is the record edited, the candidate stands in the link itself. */
      readonly candidates?: Expression;
    }
  /**
   * The other side of a link: the records of table `from` whose field `link` points here. Stores nothing. With `over`
   * it is one side of a link to many: `from` is the table of pairs, and `over` its link to the records on the far side.
   */
  | { readonly kind: 'counterpart'; readonly from: TableId; readonly link: FieldId; readonly over?: FieldId }
  /** A person of the Directory. */
  | { readonly kind: 'member' }
  | { readonly kind: 'url' }
  | { readonly kind: 'email' }
  | { readonly kind: 'phone' }
  /** An address with its latitude and longitude (WGS 84, degrees). */
  | { readonly kind: 'place' }
  | { readonly kind: 'files' }
  | { readonly kind: 'pictures' }
  /** Whole steps from 1 to `most`. */
  | { readonly kind: 'rating'; readonly most: number }
  /** A share done, from 0 to 100 %; held as a fraction, as percent is. */
  | { readonly kind: 'progress' }
  /** Given by the database when a record is made. `pattern`: zeros in braces are the number, `{year}` the year. */
  | { readonly kind: 'runningNumber'; readonly pattern: string }
  | { readonly kind: 'formula'; readonly formula: Expression; readonly result: ValueType }
  /** Kept by the system itself. */
  | { readonly kind: SystemKind };

export const systemKinds = ['createdAt', 'createdBy', 'changedAt', 'changedBy'] as const;
export type SystemKind = (typeof systemKinds)[number];

export type FieldKind = FieldType['kind'];
export type TypeOf<K extends FieldKind> = Extract<FieldType, { kind: K }>;

/** What a new record has in a field when nobody says otherwise. */
export type Default =
  | { readonly kind: 'value'; readonly value: Scalar }
  | { readonly kind: 'today' }
  | { readonly kind: 'person' }
  | { readonly kind: 'formula'; readonly formula: Expression };

export interface Field {
  readonly id: FieldId;
  readonly key: string;
  readonly label: string;
  readonly help: string;
  /** Must be filled. `fromNow`: records that were blank when the rule was made may stay so until they are changed. */
  readonly required: boolean | 'fromNow';
  readonly unique: boolean;
  readonly type: FieldType;
  /** Shown in the empty field. */
  readonly placeholder?: string;
  readonly example?: string;
  /** Usually none: a silent default makes people's answers untrustworthy. */
  readonly default?: Default;
  /** Switched off: kept with its values, hidden everywhere but in Structure. */
  readonly off?: true;
  /** Never on a form for outsiders, never in data for people without the right. */
  readonly internal?: true;
  /** Left out of summaries and exports. */
  readonly unlisted?: true;
  /** Calculated from what whoever has this model may not see: they see its values, not where these come from. Never stored. */
  readonly veiled?: true;
}

/** A condition over the fields of one record, or fields that are unique together. */
export type TableRule = {
  readonly id: RuleId;
  /** What people read when it is broken. */
  readonly message: string;
  /** Records that broke it when it was made may stay so until they are changed. */
  readonly fromNow?: true;
} & ({ readonly kind: 'holds'; readonly condition: Expression } | { readonly kind: 'unique'; readonly fields: readonly FieldId[] });

export interface Table {
  readonly id: TableId;
  readonly key: string;
  readonly label: string;
  readonly description: string;
  readonly dye: Dye;
  readonly icon?: Icon | null;
  /** The field a record is known by; null shows the record's number. */
  readonly title: FieldId | null;
  readonly fields: readonly Field[];
  readonly rules?: readonly TableRule[];
  /** The views that everybody has; those of one person stand in the catalogue. */
  readonly views?: readonly View[];
  readonly forms?: readonly Form[];
  /** Holds the pairs of a link to many; it is shown nowhere by itself. */
  readonly pairs?: true;
  /** The key of the workspace it belongs to, where that is another one than the model's own. */
  readonly home?: string;
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

/** Finds a table by key or identity, as programs name it; a table of another workspace by identity or `workspace.key`. */
export const tableNamed = (model: Model, name: string): Table | undefined =>
  model.tables.find(({ id, key, home }) => id === name || (home === undefined ? key : `${home}.${key}`) === name);

/** Finds a field of a table by key or identity, as programs name it. */
export const fieldNamed = (table: Table, name: string): Field | undefined => table.fields.find((field) => field.key === name || field.id === name);

/** Fields that have a column of their own in the database. */
export const isStored = (field: Field): boolean => field.type.kind !== 'counterpart';

export const isSystem = (field: Field): boolean => (systemKinds as readonly string[]).includes(field.type.kind);

/** Fields whose column a write names: those that people fill in, and running numbers brought along by a load. */
export const isWritten = (field: Field): boolean =>
  !isSystem(field) && field.type.kind !== 'counterpart' && field.type.kind !== 'formula' && field.veiled !== true;

/** Fields that a person can fill in. A link to many is entered, too, though its pairs are stored elsewhere. */
export const isEntered = (field: Field): boolean => (isWritten(field) && field.type.kind !== 'runningNumber') || isToMany(field);

/** One side of a link to many. */
export const isToMany = (field: Field): boolean => field.type.kind === 'counterpart' && field.type.over !== undefined;

/** The link on which a link to many goes on from its pairs to the far side. */
export const overOf = (field: Field | undefined): FieldId | undefined => (field?.type.kind === 'counterpart' ? field.type.over : undefined);

/** Fields that people see outside Structure. */
export const isShown = (field: Field): boolean => !field.off;

/** The tables people see: not those that hold the pairs of links to many, nor other workspaces'. */
export const ownTables = (model: Model): readonly Table[] => model.tables.filter(({ pairs, home }) => !pairs && home === undefined);

/** The records a field of links leads to: the table, and whether there can be several. Null for other fields. */
export function linkedTable(model: Model, field: Field): { readonly table: Table; readonly many: boolean } | null {
  const { type } = field;
  if (type.kind === 'link') return { table: tableOf(model, type.to), many: false };
  if (type.kind !== 'counterpart') return null;
  if (type.over === undefined) return { table: tableOf(model, type.from), many: !fieldOf(model, type.link).field.unique };
  return { table: tableOf(model, typeAs(fieldOf(model, type.over).field, 'link').to), many: true };
}

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
    case 'longText':
    case 'url':
    case 'email':
    case 'phone':
    case 'runningNumber':
      return { is: 'text' };
    case 'number':
    case 'percent':
    case 'rating':
    case 'progress':
      return { is: 'number' };
    case 'money':
      return { is: type.currency === null ? 'money' : 'number' };
    case 'date':
    case 'duration':
    case 'place':
      return { is: type.kind };
    case 'dateTime':
    case 'createdAt':
    case 'changedAt':
      return { is: 'timestamp' };
    case 'member':
    case 'createdBy':
    case 'changedBy':
      return { is: 'member' };
    case 'yesNo':
      return { is: 'boolean' };
    case 'option':
    case 'options':
      return { is: type.kind, field: field.id };
    case 'files':
    case 'pictures':
      return { is: 'files' };
    case 'link':
      return { is: 'record', table: type.to };
    case 'counterpart':
      return { is: 'records', table: type.from };
    case 'formula':
      return type.result;
  }
}
