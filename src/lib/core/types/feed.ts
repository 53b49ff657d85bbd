import type { Expression } from './expression';
import type { FieldId, TableId } from './identity';

/** Where records of a feed come from. */
export interface FeedSource {
  readonly table: TableId;
  /** The link by which each record of the feed names the record that it stands for. */
  readonly link: FieldId;
  /** Over a record of the source; null takes all. */
  readonly where: Expression | null;
}

/**
 * Keeps the records of a table: one for each record of its sources that meets their conditions. The part says which
 * records there are; what they show of their sources is calculated over the links, as in any other table.
 */
export interface Feed {
  readonly id: string;
  readonly label: string;
  readonly sources: readonly FeedSource[];
  /** Calculated fields that people may type into nevertheless: it is written into the source. */
  readonly twoWays: readonly FieldId[];
}
