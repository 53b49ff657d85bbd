import type { IntakeSheet, RowCondition } from '$core/intake/intake';
import { conditionWords, needsText } from '$core/intake/leftOut';
import { refuse } from '../../base/refusal';
import { raw, sql, type Sql } from '../../base/sql';
import type { Client } from '../../database/pool';
import { stagedName } from './stagedName';

/** So many rows are left out of a sheet at most; they stand with it. */
const mostLeftOut = 10_000;

const testSql: Readonly<Record<RowCondition['test'], (cell: Sql, text: string) => Sql>> = {
  blank: (cell) => sql`${cell} is null`,
  filled: (cell) => sql`${cell} is not null`,
  is: (cell, text) => sql`lower(${cell}) = lower(${text})`,
  isNot: (cell, text) => sql`lower(coalesce(${cell}, '')) <> lower(${text})`,
  contains: (cell, text) => sql`strpos(lower(${cell}), lower(${text})) > 0`,
  begins: (cell, text) => sql`starts_with(lower(${cell}), lower(${text}))`,
};

/** The rows that a condition holds for, those that are left out already among them. */
export async function rowsWhere(
  client: Client,
  sheet: IntakeSheet,
  condition: RowCondition,
  at: string,
): Promise<number[]> {
  const { column, test, text = '' } = condition;
  if (!sheet.columns[column]) throw refuse(422, `The sheet has no column ${column}.`, 'Count columns from 0.', at);
  if (needsText(test) && text === '')
    throw refuse(422, 'The condition has no text to compare with.', 'Say which text.', `${at}/text`);
  const holds = testSql[test];
  const { rows } = await client.query<{ row: number }>(
    sql`
      select _row::int as row from ${raw(stagedName(sheet.staged))} where ${holds(raw(`c${column}`), text)}
      union all
      select (r ->> 'row')::int
      from jsonb_array_elements(${JSON.stringify(sheet.leftOut ?? [])}::jsonb) r
      where not coalesce((r ->> 'takenIn')::boolean, false)
        and ${holds(sql`nullif(r -> 'cells' ->> ${raw(String(column))}, '')`, text)}
      limit ${mostLeftOut + 1}
    `,
  );
  if (rows.length > mostLeftOut)
    throw refuse(
      422,
      `More than ${mostLeftOut.toLocaleString('en')} rows fit “${conditionWords(sheet, condition)}”.`,
      'Leave fewer rows out, or skip the sheet.',
      at,
    );
  return rows.map(({ row }) => row);
}
