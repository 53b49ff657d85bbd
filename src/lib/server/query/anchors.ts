import type { Table } from '$core/types/model';
import { encodeCursor, type RecordQuery } from '$core/query/query';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { storedName } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import type { Row } from '../sql/statement';
import { estimatedRecords } from './estimate';
import { RecordStatement } from './read';
import { raw, sql } from '../base/sql';

export interface Anchors {
  /** How many rows the order has; a record that stands under each of its values has one for each. */
  readonly count: number;
  /** Rows from one anchor to the next. */
  readonly every: number;
  /** The record at the end of each stretch of `every` rows; the next stretch begins behind it. */
  readonly anchors: readonly string[];
}

/** About how many anchors an order gets: they are sent to the page and kept there. */
const mostAnchors = 2000;
const leastStretch = 200;

/**
 * Places in an order, evenly spread, by which a page reaches any row: the rows behind an anchor are read by key, so a
 * jump costs the same wherever it goes. One pass over the order, from the index alone where there is one.
 */
export async function readAnchors(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  asked: Pick<RecordQuery, 'filter' | 'sort' | 'of'>,
): Promise<Anchors> {
  const statement = new RecordStatement(access, table, { ...asked, fields: [], limit: 0, after: null });
  const every = Math.max(
    leastStretch,
    Math.ceil((await estimatedRecords(connection, storedName(access.workspace, table))) / mostAnchors),
  );
  const { rows } = await connection.query<Row & { n: number }>(
    sql`select * from (${raw(statement.places)}) q where n % ${raw(String(every))} = 0 or last order by n`,
  );
  return {
    count: rows.at(-1)?.n ?? 0,
    every,
    anchors: rows.filter(({ n }) => n % every === 0).map((row) => encodeCursor(statement.cursorOf(row))),
  };
}
