import type { Expression } from './expression';
import type { Icon } from './icons';
import type { FieldId, RuleId, TableId } from './identity';
import type { Dye, Field } from './field';
import type { PartOwner, Parts } from './part';

/** A condition over the fields of one record, or fields that are unique together. */
export type TableRule = {
  readonly id: RuleId;
  /** What people read when it is broken. */
  readonly message: string;
  /** Records that broke it when it was made may stay so until they are changed. */
  readonly fromNow?: true;
} & (
  | { readonly kind: 'holds'; readonly condition: Expression }
  | { readonly kind: 'unique'; readonly fields: readonly FieldId[] }
);

export interface Table extends PartOwner {
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
  /** Holds the pairs of a link to many; it is shown nowhere by itself. */
  readonly pairs?: true;
  /** The person of the Directory who alone sees it, until they share it. */
  readonly privateTo?: number;
  /** The key of the workspace it belongs to, where that is another one than the model's own. */
  readonly home?: string;
}

/** The structure of one workspace: an immutable, JSON-able value. */
export interface Model extends PartOwner {
  readonly tables: readonly Table[];
  /** What linked workspaces have of parts of their own, by their keys. */
  readonly peerParts?: Readonly<Record<string, Parts>>;
}
