import type { Expression } from './expression';
import type { FieldId } from './identity';
import type { PartId } from './part';
import type { SortPart } from './view';

/** Everything that a node of a document can be given; each name means the same wherever it stands. */
export interface NodeAttrs {
  readonly textAlign?: 'left' | 'center' | 'right';
  /** Of a heading, 1 to 3. */
  readonly level?: number;
  /** What a field shows, a picture is taken from, or a code says; null for a code that leads to the record. */
  readonly formula?: Expression | null;
  /** What is in it is there where this holds. */
  readonly when?: Expression | null;
  /** What is in it is there once for each record that these links lead to; the last leads to several. */
  readonly over?: readonly FieldId[] | null;
  /** Over such a record: only those that meet it. */
  readonly where?: Expression | null;
  /** The order of such records. */
  readonly sort?: readonly SortPart[];
  /** A picture that was sent to the workspace, by its SHA-256. */
  readonly file?: string | null;
  /** What a picture shows, in words. */
  readonly alt?: string;
  /** In millimetres. */
  readonly width?: number;
  /** The number of pages instead of the page's own. */
  readonly count?: boolean;
  /** A table with lines between its cells. */
  readonly lines?: boolean;
  readonly colspan?: number;
  /** Of the columns that a cell covers, in shares of one table. */
  readonly colwidth?: readonly number[] | null;
}

export const markTypes = ['bold', 'italic', 'underline'] as const;
type MarkType = (typeof markTypes)[number];

export const nodeTypes = [
  'paragraph',
  'heading',
  'bulletList',
  'orderedList',
  'listItem',
  'table',
  'tableRow',
  'tableHeader',
  'tableCell',
  'horizontalRule',
  'pageBreak',
  'picture',
  'code',
  'repeat',
  'part',
  'text',
  'field',
  'pageNumber',
  'hardBreak',
] as const;
export type NodeType = (typeof nodeTypes)[number];

/** What stands on the page of a document: blocks that hold blocks or a line of text, as an editor of texts has them. */
export interface DocumentNode {
  readonly type: NodeType;
  readonly attrs?: NodeAttrs;
  readonly content?: readonly DocumentNode[];
  readonly text?: string;
  readonly marks?: readonly { readonly type: MarkType }[];
}

/** Widths and heights of papers in millimetres, upright (ISO 216, ANSI/ASME Y14.1). */
export const papers = {
  A4: [210, 297],
  A5: [148, 210],
  A6: [105, 148],
  Letter: [215.9, 279.4],
} as const;
export type PaperName = keyof typeof papers;

export interface Paper {
  readonly size: PaperName;
  readonly landscape: boolean;
  /** Millimetres: top, right, bottom, left. */
  readonly margins: readonly [number, number, number, number];
}

/** Labels on a sheet, one for each record; millimetres. */
export interface LabelSheet {
  readonly columns: number;
  readonly rows: number;
  readonly width: number;
  readonly height: number;
  /** From the beginning of one label to that of the next. */
  readonly across: number;
  readonly down: number;
}

/** A page that is filled for a record: a delivery note, a letter, a label. */
export interface Document {
  readonly id: PartId;
  readonly label: string;
  readonly description: string;
  readonly paper: Paper;
  /** Null where every record has pages of its own. */
  readonly labels: LabelSheet | null;
  readonly header: readonly DocumentNode[];
  readonly body: readonly DocumentNode[];
  readonly footer: readonly DocumentNode[];
}
