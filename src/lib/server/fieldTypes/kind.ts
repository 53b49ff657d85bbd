import type Joi from 'joi';
import type { Field, FieldKind, TypeOf } from '$core/types/field';
import type { Reading } from '$core/fieldTypes/kind';

/** A value as a cell of a file in any format: always its text, and what it is where a format can say it. */
export interface Cell {
  readonly text: string;
  /** Where a binary number says exactly the same. */
  readonly number?: number;
  /** A percentage as the fraction that it is. */
  readonly share?: number;
  /** ISO 8601. */
  readonly date?: string;
  readonly instant?: string;
  readonly yes?: boolean;
}

/** What the members of a field's type are when programs write it; kinds add theirs. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface TypeJson {}

/** Where the column of a new field stands. */
interface ColumnPlace {
  /** The schema of its workspace, and the sequence behind it, as identifiers are written. */
  readonly sequence: string;
  /** The IANA time zone of the workspace. */
  readonly zone: string;
}

/** What the server knows of every kind of field; what is left out is as said. */
export interface StoredFieldKind<K extends FieldKind> {
  /** SQL for the text that a stored value is converted through and shown as: all digits, labels of options. */
  textSql(value: string, type: TypeOf<K>, zone: string): string;
  /** The number in a value that was brought along, so that it is not given again; none unless said. */
  givenNumber?(value: string, type: TypeOf<K>): number | null;
  /** What the database puts into the column of a new record by itself; nothing unless said. */
  columnDefault?(type: TypeOf<K>, place: ColumnPlace): string;
  /**
   * The text of its cell in a file of delimited values, where PostgreSQL writes the very same as the core; `title` is
   * that of the record or person it names. Null, and so is what is left out: only the core knows how to write it.
   */
  cellSql?(column: string, type: TypeOf<K>, title: string | null): string | null;
  /** A value, as programs get it, as a cell; its words, and a number where it is one, unless said. */
  cell?(value: unknown): Cell;
  /** How its cells are shown in a workbook (ECMA-376 part 1, 18.8.31); as they are unless said. */
  workbookFormat?(type: TypeOf<K>): string | undefined;
  /** In characters: the width of its column in a workbook. */
  readonly workbookWidth?: number;
  /** Its columns in the structure that is exported as SQL, by the name and what else they are held to. */
  exportedColumns?(name: (suffix?: string) => string, type: TypeOf<K>, more: ExportedColumn): string[];
}

interface ExportedColumn {
  /** ` not null`, where the field is required. */
  readonly filled: string;
  /** The sequence behind it, as a text. */
  readonly sequence: string;
}

/** A kind that people enter, or bring along: read from text, and written by programs. */
export interface StoredKind<K extends FieldKind> extends StoredFieldKind<K> {
  /**
   * SQL that reads a trimmed text as a value, blank where it does not fit: the twin of `parse`. The first branch of
   * numbers and dates casts what cannot fail; only the rest goes through the slower functions. It looks at `raw`, the
   * text before it was trimmed: what it takes has no blanks at its ends, and trimming costs more than the cast. The
   * patterns have no look-ahead and no counted repetitions, which PostgreSQL's matcher is slow at.
   */
  readSql(text: string, type: TypeOf<K>, reading: Reading, raw: string): string;
  /** SQL for a value of the same column type where the type allows it, otherwise blank; any is allowed unless said. */
  within?(value: string, type: TypeOf<K>): string;
  /**
   * SQL for whether a stored value is none that its field could have, of what comes from elsewhere; null where its
   * column is enough. By `within` and by reading its text unless said.
   */
  unfitSql?(column: string, type: TypeOf<K>): string | null;
  /** The members of its type as programs write them. */
  readonly members?: Joi.SchemaMap;
  /** The type that programs write; `field` is the one that it is given to. Nothing is settled unless said. */
  fromJson?(json: TypeJson, field: Partial<Field>): Omit<TypeOf<K>, 'kind'>;
}
