import { shownType } from '$core/formula/shownType';
import type { ReceiptFormula } from '$core/transfer/receipt';
import { fieldOf, tableOf } from '$core/model/model';
import type { CompareValues } from '$core/types/recordChange';
import { homeOf, tableSql } from '../../access/workspaceState';
import { identifier, raw, sql } from '../../base/sql';
import { textSql } from '../../fieldTypes/registry';
import { titleSql } from '../../query/selection';
import { copiesTable, type SetWork } from './chosen';

/** So many records are shown with both values, those that differ first. */
const shown = 6;

const remembered = (step: number, at: number) => raw(`pg_temp."_compared_${step}_${at}"`);

/** Remembers the values that calculated fields have. */
export async function rememberValues(
  { client, access, step }: SetWork,
  { table: id, fields }: CompareValues,
): Promise<void> {
  const { model } = access.workspace;
  const table = tableOf(model, id);
  for (const [at, { field }] of fields.entries()) {
    const column = identifier(fieldOf(model, field).field.key);
    await client.query(sql`
      create temp table ${raw(`"_compared_${step}_${at}"`)} on commit drop as
      select _id as id, ${column} as value from ${tableSql(access.workspace, table)}
    `);
  }
}

/** Holds what was remembered against what stands at the end, record by record. `words` names a field as it was. */
export async function compareRemembered(
  { client, access, step }: SetWork,
  change: CompareValues,
  words: (field: string) => string,
): Promise<ReceiptFormula[]> {
  const { model } = access.workspace;
  const found: ReceiptFormula[] = [];
  for (const [at, { field: id, now }] of change.fields.entries()) {
    const table = tableOf(model, now?.table ?? change.table);
    const { field } = fieldOf(model, now?.field ?? id);
    const text = (column: string) =>
      raw(textSql(column, shownType(model, field), homeOf(access.workspace, table).zone));
    const column = raw(`t.${identifier(field.key).sql}`);
    const from = now
      ? sql`
          ${remembered(step, at)} c
          join ${copiesTable(now.copies)} m on m._source = c.id and m._refused is null
          join ${tableSql(access.workspace, table)} t on t._id = m._target
        `
      : sql`${remembered(step, at)} c join ${tableSql(access.workspace, table)} t on t._id = c.id`;
    const { rows } = await client.query<{ records: number; differ: number }>(sql`
      select count(*)::int as records, count(*) filter (where c.value is distinct from ${column})::int as differ
      from ${from}
    `);
    const { records = 0, differ = 0 } = rows[0] ?? {};
    const { rows: samples } = await client.query<{ record: string; before: string | null; after: string | null }>(sql`
      select ${raw(titleSql(access, table, 't'))} as record, ${text('c.value')} as before,
        ${text(column.sql)} as after
      from ${from}
      where ${differ > 0 ? sql`c.value is distinct from ${column}` : sql`c.value is not null`}
      order by t._id limit ${shown}
    `);
    found.push({
      field: words(id),
      records,
      differ,
      samples: samples.map(({ record, before, after }) => ({ record, before: before ?? '', after: after ?? '' })),
    });
  }
  return found;
}
