import type { Expression } from './expression';
import type { FieldType } from './field';
import type { PartId } from './part';
import type { TableId, ViewId } from './identity';
import type { SortPart, TotalKind } from './view';

/** What is worked out of a group of records. `share`: the share of those that meet its condition. */
export type MeasureKind = TotalKind | 'count' | 'share';

export interface Measure {
  /** Blank where it is called by what it is. */
  readonly label: string;
  readonly total: MeasureKind;
  /** Of what, over one record; null where the records themselves are counted. */
  readonly of: Expression | null;
  /** Over one record: only those that meet it go in. */
  readonly where: Expression | null;
  /** In a chart: drawn as a mark that the first is held against, such as a limit. */
  readonly mark?: true;
}

export const spans = ['day', 'week', 'month', 'quarter', 'year'] as const;
export type Span = (typeof spans)[number];

/** A stretch of days that moves on with the calendar, and the one that it is held against. */
export interface Period {
  /** The day or moment that decides; over links as an order is. */
  readonly field: SortPart;
  readonly span: Span;
  /** So many spans, the latest included. */
  readonly count: number;
  /** So many spans ago: 0 ends with the one that is going on. */
  readonly back: number;
  /** Held against the stretch right before, or the same a year before. */
  readonly against: 'before' | 'yearBefore' | null;
}

/** What is asked of a table: measures of its records, by up to two groups. */
export interface Asked {
  readonly table: TableId;
  readonly where: Expression | null;
  readonly measures: readonly Measure[];
  readonly groups: readonly SortPart[];
  readonly period: Period | null;
  /** By the groups themselves, or by the first measure. */
  readonly order: 'group' | 'most' | 'least';
  /** No more than so many of the first group; the others are gathered as one. Null shows all. */
  readonly most: number | null;
}

export const chartKinds = [
  'bars',
  'stacked',
  'lines',
  'areas',
  'scatter',
  'distribution',
  'calendar',
  'shares',
] as const;
export type ChartKind = (typeof chartKinds)[number];

/** Where a block stands on its page, in columns of twelve and in rows. */
export interface BlockPlace {
  readonly x: number;
  readonly y: number;
  readonly w: number;
  readonly h: number;
}

interface Placed {
  readonly id: PartId;
  readonly title: string;
  readonly place: BlockPlace;
}

/** What stands on a page, by kind. */
export interface BlockKinds {
  readonly number: Placed & Asked & { readonly kind: 'number' };
  readonly table: Placed & Asked & { readonly kind: 'table' };
  readonly chart: Placed & Asked & { readonly kind: 'chart'; readonly chart: ChartKind; readonly limit: number | null };
  readonly list: Placed & {
    readonly kind: 'list';
    readonly table: TableId;
    readonly view: ViewId;
    readonly most: number;
  };
  /** Markdown. */
  readonly text: Placed & { readonly kind: 'text'; readonly text: string };
}
export type BlockKind = keyof BlockKinds;
export type Block = BlockKinds[BlockKind];
export type AskedBlock = BlockKinds['number' | 'table' | 'chart'];

/** A choice over a whole page: blocks of a table that has a field here follow it. */
export interface PageFilter {
  readonly id: PartId;
  readonly label: string;
  readonly fields: readonly { readonly table: TableId; readonly field: SortPart }[];
}

/** A page of numbers, tables, charts, lists and text that leads read. */
export interface Summary {
  readonly id: PartId;
  readonly label: string;
  readonly description: string;
  /** The Directory's groups for which it is; none: for everybody who sees the workspace. */
  readonly groups: readonly number[];
  readonly filters: readonly PageFilter[];
  readonly blocks: readonly Block[];
}

/** How the values of a column or a measure are shown. */
export interface ShownAs {
  readonly label: string;
  readonly type: FieldType;
  /** How values are grouped; by the values themselves unless said. */
  readonly by?: SortPart['by'];
}
