import type { IntakeSheet, RowCondition } from '$core/intake/intake';
import { conditionWords, needsText } from '$core/intake/leftOut';
import { refuse } from '../../base/refusal';
import { raw, sql, type Sql } from '../../base/sql';
import type { Client } from '../../database/pool';
import { stagedName } from './stagedName';

/** So many rows are left out of a sheet at most; they stand with it. */
const mostLeftOut = 10_000;

const testSql: Readonly<Record<Exclude<RowCondition['test'], 'again'>, (cell: Sql, text: string) => Sql>> = {
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
  const left = sql`
    select (r ->> 'row')::int as row, r -> 'cells' as cells
    from jsonb_array_elements(${JSON.stringify(sheet.leftOut ?? [])}::jsonb) r
    where not coalesce((r ->> 'takenIn')::boolean, false)
  `;
  const { rows } = await client.query<{ row: number }>(
    test === 'again' ? repeatedRows(sheet, left) : rowsThatHold(sheet, left, column, testSql[test], text),
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

/** `left`: rows that are left out already, with their cells. */
function rowsThatHold(
  { staged }: IntakeSheet,
  left: Sql,
  column: number,
  holds: (cell: Sql, text: string) => Sql,
  text: string,
): Sql {
  return sql`
    select _row::int as row from ${raw(stagedName(staged))} where ${holds(raw(`c${column}`), text)}
    union all
    select row from (${left}) l where ${holds(sql`nullif(cells ->> ${raw(String(column))}, '')`, text)}
    limit ${mostLeftOut + 1}
  `;
}

const cellsOf = ({ columns }: IntakeSheet): string => columns.map((_, column) => `c${column}`).join(', ');

function repeatedRows(sheet: IntakeSheet, left: Sql): Sql {
  const others = sheet.columns.map((_, column) => `nullif(cells ->> ${column}, '')`).join(', ');
  return sql`
    select row
    from (
      select row, row_number() over (partition by cells order by row) as n
      from (
        select _row::int as row, array[${raw(cellsOf(sheet))}] as cells from ${raw(stagedName(sheet.staged))}
        union all
        select row, array[${raw(others)}] from (${left}) l
      ) every
    ) r
    where n > 1
    limit ${mostLeftOut + 1}
  `;
}

/** Longer sheets are not looked through for rows that say the same. */
const mostCompared = 200_000;

/** Rows that say the same in every column as an earlier one; a sheet that has a key has none. */
export async function countRepeated(client: Client, sheet: IntakeSheet): Promise<number> {
  if (sheet.unique.length > 0 || (sheet.wideKeys ?? []).length > 0 || sheet.rows > mostCompared) return 0;
  const { rows } = await client.query<{ n: number }>(
    sql`
      select coalesce(sum(n - 1), 0)::int as n
      from (select count(*) as n from ${raw(stagedName(sheet.staged))} group by ${raw(cellsOf(sheet))}) g
      where n > 1
    `,
  );
  return rows[0]?.n ?? 0;
}
