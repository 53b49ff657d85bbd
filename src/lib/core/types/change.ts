import type { Scalar } from './expression';
import type { FieldId, KeptId, RuleId, TableId } from './identity';
import type { Reading } from './reading';
import type { Table, TableRule } from './model';
import type { Field } from './field';
import type { OwnerOf, PartId, PartKind, PartValues } from './part';
import type { CompareValues, CopyRecords, PointLinks, RemoveRecords, SetValues } from './recordChange';

/** A new table with its fields. Links are added by `addField` once both tables stand. */
export interface AddTable {
  readonly do: 'addTable';
  readonly table: Table;
  /** Its place in the workspace's order. */
  readonly at: number;
}

/** New names, looks or title of a table. */
export interface ChangeTable {
  readonly do: 'changeTable';
  readonly table: TableId;
  readonly set: Partial<Pick<Table, 'key' | 'label' | 'description' | 'dye' | 'icon' | 'title'>> & {
    /** Null shares it. */
    readonly privateTo?: number | null;
  };
}

/** Puts a table in the bin. Its links and formulas are removed by changes of their own before it. */
export interface RemoveTable {
  readonly do: 'removeTable';
  readonly table: TableId;
}

/** A new field; a link brings its counterpart on the other table with it. */
export interface AddField {
  readonly do: 'addField';
  readonly table: TableId;
  readonly field: Field;
  readonly at: number;
  readonly counterpart?: { readonly field: Field; readonly at: number };
}

type FieldSettings = Omit<Field, 'id'>;

/** New names, rules or type of a field. */
export interface ChangeField {
  readonly do: 'changeField';
  readonly table: TableId;
  readonly field: FieldId;
  /** A member that is null is taken away. */
  readonly set: {
    readonly [K in keyof FieldSettings]?: FieldSettings[K] | (undefined extends FieldSettings[K] ? null : never);
  };
  /** How stored values are read as the new type. */
  readonly reading?: Reading;
  /** Options, by identity, or texts that become another option. */
  readonly merge?: Readonly<Record<string, string>>;
  /** The name under which the column of before is kept, where values are worked over. */
  readonly keep?: KeptId;
  /** The kept column whose values come back, with how it was read: those not changed since are again what they were. */
  readonly restore?: {
    readonly keep: KeptId;
    readonly reading?: Reading;
    readonly merge?: Readonly<Record<string, string>>;
  };
  /** What becomes of records that break the new rules. */
  readonly breaking?: Breaking;
  /** Put into blank values, for a field that is required from now on. */
  readonly fill?: Scalar;
}

/** Puts a field in the bin with its values; a link takes its counterpart along. */
export interface RemoveField {
  readonly do: 'removeField';
  readonly table: TableId;
  readonly field: FieldId;
}

/** Another place in the table's order of fields. */
export interface MoveField {
  readonly do: 'moveField';
  readonly table: TableId;
  readonly field: FieldId;
  readonly to: number;
}

/** What a plan does with records that break a new rule: it cannot be applied, or their values are set aside. */
export type Breaking = 'refuse' | 'setAside';

/** A rule over one or several fields of a table. */
export interface AddRule {
  readonly do: 'addRule';
  readonly table: TableId;
  readonly rule: TableRule;
  readonly at: number;
  /** What becomes of records that break it; to let them be, the rule itself is `fromNow`. */
  readonly breaking?: Breaking;
  /** The field whose values are set aside where they break it. */
  readonly clear?: FieldId;
}

/** Takes a rule away; records are not looked at. */
export interface RemoveRule {
  readonly do: 'removeRule';
  readonly table: TableId;
  readonly rule: RuleId;
}

/** A new part of a table: a view that everybody has, a form. */
export type AddPart = {
  [K in PartKind]: {
    readonly do: 'addPart';
    readonly kind: K;
    readonly table: OwnerOf<K, TableId>;
    readonly part: PartValues[K];
    /** Its place among those of its kind. */
    readonly at: number;
  };
}[PartKind];

/** A part as it will be, or another place among those of its kind; its identity says which one. */
export type ChangePart = {
  [K in PartKind]: {
    readonly do: 'changePart';
    readonly kind: K;
    readonly table: OwnerOf<K, TableId>;
    readonly part: PartValues[K];
    readonly at?: number;
  };
}[PartKind];

/** Takes a part away; the records that came in by it, or were seen through it, are not looked at. */
export interface RemovePart {
  readonly do: 'removePart';
  readonly kind: PartKind;
  /** Null for a part of the workspace itself. */
  readonly table: TableId | null;
  readonly part: PartId;
}

/**
 * Fills one field of a table from another: a text becomes a link, a link its target's title, a link to one a link to
 * many and back. The structure stays as it is; the changes before and after it make the one field and remove the other.
 */
export interface CopyValues {
  readonly do: 'copyValues';
  readonly table: TableId;
  readonly from: FieldId;
  readonly to: FieldId;
  /** For texts that become links: the field of the target they are compared with. */
  readonly match?: FieldId;
  /** Texts that are no target's, and which record each means after all. */
  readonly confirmed?: Readonly<Record<string, number>>;
  /** What becomes of a text that is no target's: set aside, or a target made with it. */
  readonly missing?: 'setAside' | 'create';
}

/**
 * Every kind of change by its name; a new one declares itself here from beside its descriptor.
 *
 * @public
 */
export interface Changes {
  readonly addTable: AddTable;
  readonly changeTable: ChangeTable;
  readonly removeTable: RemoveTable;
  readonly addField: AddField;
  readonly changeField: ChangeField;
  readonly removeField: RemoveField;
  readonly moveField: MoveField;
  readonly addRule: AddRule;
  readonly removeRule: RemoveRule;
  readonly addPart: AddPart;
  readonly changePart: ChangePart;
  readonly removePart: RemovePart;
  readonly copyValues: CopyValues;
  readonly copyRecords: CopyRecords;
  readonly setValues: SetValues;
  readonly pointLinks: PointLinks;
  readonly removeRecords: RemoveRecords;
  readonly compareValues: CompareValues;
}

/** One edit of a model: plain, JSON-able, and the only way a structure is ever changed. */
export type Change = Changes[keyof Changes];
