import { dependenciesOf } from '$core/flow/dependencies';
import type { Expression } from '$core/types/expression';
import type { Table } from '$core/types/model';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { storedName } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { estimatedRecords } from './estimate';
import { Selection } from './selection';
import { raw, sql } from '../base/sql';

/**
 * What a filter may cost at most, in PostgreSQL's units (one page read in order is 1): some ten times what a filter
 * over the linked records of a million takes here.
 */
const mostCost = 200_000_000;

interface Explained {
  readonly 'QUERY PLAN': readonly { readonly Plan: { readonly 'Total Cost': number } }[];
}

/**
 * Refuses conditions that would keep the database busy for long, by its own estimate and before they are begun. Those
 * over the record's own fields cost one pass at most, and are not looked at.
 */
export async function requireBearable(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  conditions: readonly Expression[],
): Promise<void> {
  const { model } = access.workspace;
  if (!conditions.some((one) => dependenciesOf(model, one).on.some(({ path }) => path.length > 0))) return;
  const selection = new Selection(access, table);
  const where = selection.conditions(conditions);
  const { rows } = await connection.query<Explained>(
    sql`
      explain (format json)
      select count(*) filter (where ${raw(where.join(' and '))})
      from ${raw(selection.from)}
    `,
  );
  const cost = rows[0]?.['QUERY PLAN'][0]?.Plan['Total Cost'] ?? 0;
  if (cost <= mostCost) return;
  const records = await estimatedRecords(connection, storedName(access.workspace, table));
  throw refuse(
    422,
    `This would follow links for each of about ${Math.round(records).toLocaleString('en')} records, which takes too long for a filter.`,
    'Make a calculated field of it and filter by that, or follow fewer links.',
  );
}
