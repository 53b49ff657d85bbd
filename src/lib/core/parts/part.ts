import type { Expression } from '../types/expression';
import type { FieldId, TableId } from '../types/identity';
import type { Result } from '../base/problem';
import type { Model, Table } from '../types/model';
import type { OwnerOf, PartKind, PartValues } from '../types/part';
import type { WorkspaceRight } from '../types/role';

/** How a part in which one field is to take the place of another is written anew. */
interface Following {
  readonly old: FieldId;
  readonly now: FieldId;
  /** The links over which the one is reached from the record that had the other; none where it is the record's own. */
  readonly via?: readonly FieldId[];
  /** Whether the fields are of the part's own table. */
  readonly own: boolean;
  /** The condition with the one field instead of the other; as it is where it cannot follow. */
  readonly turned: (condition: Expression) => Expression;
  /** Where the one is the other in another place: the option that each of its options became. */
  readonly same?: Readonly<Record<string, string>>;
}

/** Says a text anew, for another language; `what` it is within its part, in words. */
export type TurnText = (text: string, what?: string) => string;

/** A part as programs write and read it. */
export interface WrittenPart {
  readonly json: Readonly<Record<string, unknown>>;
  /** In words, what could not be written as it uses fields that are gone. */
  readonly lost: readonly string[];
}

/**
 * All that the core knows of one kind of part. Everything else follows from it: the changes and their inverse, what
 * depends on a field, what a plan may lose, renames in writing, what people may see, the words of History, the
 * structure that is exported and brought in.
 */
export interface PartDescriptor<K extends PartKind> {
  /** What one is called, and several; the latter also names them in JSON. */
  readonly word: string;
  readonly words: string;
  readonly idPrefix: 'v' | 'o' | 'a';
  /**
   * They belong to the workspace itself, and to no table: to its structure, which is taken elsewhere with them, or to
   * its people, which are not.
   */
  readonly ofWorkspace?: 'structure' | 'people';
  /** What one must be allowed to change them. */
  readonly needs: WorkspaceRight;
  /** What a table has of them without anybody having made it, before those that are written; none unless said. */
  standing?(written: readonly PartValues[K][]): readonly PartValues[K][];
  /** Why it cannot stand as it is; that it has a name of its own is seen to for all kinds. */
  check(model: Model, table: OwnerOf<K, Table>, part: PartValues[K]): Result<true>;
  /** Everything in it that is written in the formula language, with its table where that is not the part's own. */
  conditions(part: PartValues[K]): readonly { readonly condition: Expression; readonly table?: TableId }[];
  /** Fields that it watches and writes by itself; none unless said. */
  touches?(part: PartValues[K]): { readonly watches: readonly FieldId[]; readonly writes: readonly FieldId[] };
  /** Without the conditions that are not kept, for people who may not see what these read. */
  keeping(part: PartValues[K], kept: (condition: Expression) => boolean): PartValues[K];
  /** With one field in the place of another. */
  following(part: PartValues[K], fields: Following): PartValues[K];
  /** With all that people read in it said anew; its label alone unless said. */
  spoken?(part: PartValues[K], turn: TurnText): PartValues[K];
  /** A new one, of which `json` says some. */
  blank(json: Readonly<Record<string, unknown>>): PartValues[K];
  print(model: Model, table: OwnerOf<K, Table>, part: PartValues[K]): WrittenPart;
  /**
   * Reads what `print` wrote; the first thing that cannot be read, with its place. What could not be written, as it uses
   * what is gone, is taken from what `standing` is.
   */
  read(
    model: Model,
    table: OwnerOf<K, Table>,
    id: string,
    json: Readonly<Record<string, unknown>>,
    standing?: PartValues[K],
  ): Result<PartValues[K]>;
}
