import { quoteText } from '$core/base/sql';
import { isStored } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { join, raw, sql, type Sql } from '../../base/sql';
import { valueJsonSql } from '../../sql/column';
import { columnOf } from './chosen';

/** SQL for values by field identity, as the history keeps them. `alias` has the columns, under names that `named` gives. */
export const valuesJson = (fields: readonly Field[], named: (field: Field) => string): Sql =>
  fields.length === 0
    ? raw(`'{}'::jsonb`)
    : join(
        inPieces(fields).map(
          (piece) =>
            sql`jsonb_build_object(${join(
              piece.flatMap((field) => [raw(quoteText(field.id)), raw(valueJsonSql(field, named(field)))]),
            )})`,
        ),
        ' || ',
      );

/** A function of PostgreSQL takes a hundred arguments at most. */
const mostPairs = 50;

const inPieces = (fields: readonly Field[]): (readonly Field[])[] =>
  Array.from({ length: Math.ceil(fields.length / mostPairs) }, (_, at) =>
    fields.slice(at * mostPairs, (at + 1) * mostPairs),
  );

/** The fields whose values go to the history with a record that is deleted. */
const keptFields = (table: Table): readonly Field[] =>
  table.fields.filter((field) => isStored(field) && field.type.kind !== 'formula');

/** All of them, of a record that stands as this. */
export const keptJson = (table: Table, alias: string): Sql =>
  valuesJson(keptFields(table), ({ key }) => columnOf(alias, key));

/** Numbers that follow each other as runs: `select` gives one column, `id`, in any order. */
export const runsSql = (select: Sql): Sql => sql`
  select min(id) as first, max(id) as last
  from (select id, id - row_number() over (order by id) as run from (${select}) i) n
  group by run
`;
