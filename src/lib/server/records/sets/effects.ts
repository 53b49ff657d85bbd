import type { FieldId } from '$core/types/identity';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { tableSql } from '../../access/workspaceState';
import { join, raw, sql, type Sql } from '../../base/sql';
import { linksOf, mostLimited, targetsIn, type Effects } from '../../calculation/effects';
import { columnNames } from '../../sql/column';
import type { Row } from '../../sql/statement';
import { manyRecords, type SetWork } from './chosen';

/**
 * Of very many records PostgreSQL has to know before it works with them: it would take a table that was small before for
 * small still, and go through it record by record.
 */
export async function keepEstimates({ client, access }: SetWork, table: Table, count: number): Promise<void> {
  if (count >= manyRecords) await client.query(sql`analyze ${tableSql(access.workspace, table)}`);
}

/** What has to be worked out after a set of records was written: of few by their numbers, of many for whole tables. */
export interface SetEffects {
  readonly effects: readonly Effects[];
  readonly anew: readonly FieldId[];
}

const ofWhole = (fields: readonly Field[]): readonly Effects[] => [
  { changed: fields.map(({ id }) => [id, 'all'] as const) },
];

/** The records that `ids` gives, with where their links point now. */
async function standing({ client, access }: SetWork, table: Table, ids: Sql): Promise<Row[]> {
  const { rows } = await client.query<Row>(sql`
    select ${join([raw('t._id'), ...columnNames(linksOf(table), 't')])}
    from ${tableSql(access.workspace, table)} t
    where t._id in (${ids})
  `);
  return rows;
}

/** Of records that were made; `ids` gives their numbers, `count` says how many they are. */
export async function effectsOfMade(work: SetWork, table: Table, ids: Sql, count: number): Promise<SetEffects> {
  if (count === 0) return { effects: [], anew: [] };
  if (count > mostLimited)
    return {
      effects: ofWhole(table.fields),
      anew: table.fields.flatMap(({ id, type }) => (type.kind === 'formula' ? [id] : [])),
    };
  const rows = await standing(work, table, ids);
  const made = rows.map((row) => row._id as number);
  return {
    effects: [
      {
        made: [[table.id, made]],
        changed: table.fields.map(({ id }) => [id, made] as const),
        targets: targetsIn(table, rows),
      },
    ],
    anew: [],
  };
}

/**
 * Of fields that are about to be written, or were: where the links of the records point has to be read before and after.
 */
export async function effectsOfChanged(
  work: SetWork,
  table: Table,
  fields: readonly Field[],
  ids: Sql,
  count: number,
): Promise<SetEffects> {
  if (count === 0) return { effects: [], anew: [] };
  if (count > mostLimited) return { effects: ofWhole(fields), anew: [] };
  const rows = await standing(work, table, ids);
  const changed = rows.map((row) => row._id as number);
  return {
    effects: [{ changed: fields.map(({ id }) => [id, changed] as const), targets: targetsIn(table, rows) }],
    anew: [],
  };
}
