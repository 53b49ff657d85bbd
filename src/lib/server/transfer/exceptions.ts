import { printFormula } from '$core/formula/printer';
import { shownType } from '$core/formula/shownType';
import { valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf } from '../access/workspaceState';
import { join, raw, sql } from '../base/sql';
import type { Pool } from '../database/pool';
import { textSql } from '../fieldTypes/registry';
import { fromColumn } from '../sql/column';
import { Selection } from '../query/selection';
import { quoteIdentifier } from '$core/base/sql';

const mostShown = 200;

/** Where records of one key say different things in a field that the key is to decide. */
export interface SplitExceptions {
  /** The most frequent keys first. */
  readonly items: readonly {
    readonly key: readonly string[];
    readonly field: string;
    /** The condition that the records of the key meet. */
    readonly where: string;
    /** What they say, with how many, the most frequent first; `formula` gives the value. */
    readonly values: readonly { readonly text: string; readonly formula: string; readonly count: number }[];
  }[];
  readonly next: null;
  /** How many there are in all. */
  readonly count: number;
}

/** The exceptions from “these fields decide those”. */
export async function splitExceptions(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  by: readonly Field[],
  fields: readonly Field[],
): Promise<SplitExceptions> {
  const { model } = access.workspace;
  const { zone } = homeOf(access.workspace, table);
  const selection = new Selection(access, table);
  for (const [at, field] of [...by, ...fields].entries()) selection.add(field, at);
  const shown = (field: Field, at: number, column: string) =>
    selection.columnAt(at).title ?? textSql(column, shownType(model, field), zone);
  const column = (field: Field) => `r.${quoteIdentifier(field.key)}`;
  const keys = by.map((field) => raw(column(field)));
  const items: SplitExceptions['items'][number][] = [];
  let count = 0;
  for (const [place, field] of fields.entries()) {
    const value = column(field);
    const { rows } = await pool.query<
      Record<string, unknown> & { all: number; values: { text: string | null; value: unknown; n: number }[] }
    >(sql`
      select ${join(
        by.flatMap((key, at) => [raw(`k${at}`), raw(`max(t${at}) as t${at}`)]),
      )}, count(*) over ()::int as all,
        array_agg(json_build_object('text', text, 'value', value, 'n', n) order by n desc, text) as values
      from (
        select ${join(
          by.flatMap((key, at) => [
            sql`${raw(column(key))} as ${raw(`k${at}`)}`,
            raw(`max(${shown(key, at, column(key))}) as t${at}`),
          ]),
        )}, ${raw(value)} as value, max(${raw(shown(field, by.length + place, value))}) as text, count(*)::int as n
        from ${raw(selection.from)}
        where ${join(
          keys.map((key) => sql`${key} is not null`),
          ' or ',
        )}
        group by ${join([...keys, raw(value)])}
      ) g
      group by ${join(by.map((_, at) => raw(`k${at}`)))}
      having count(*) > 1
      order by sum(n) desc limit ${mostShown}
    `);
    count += rows[0]?.all ?? 0;
    for (const row of rows)
      items.push({
        key: by.map((_, at) => String(row[`t${at}`] ?? '')),
        field: field.key,
        where: by
          .map((key, at) =>
            row[`k${at}`] === null ? `${key.key} is null` : `${key.key} = ${literalOf(access, key, row[`k${at}`])}`,
          )
          .join(' and '),
        values: row.values.map(({ text, value: one, n }) => ({
          text: text ?? '',
          formula: one === null ? 'null' : literalOf(access, field, one, text ?? ''),
          count: n,
        })),
      });
  }
  return { items: items.slice(0, mostShown), next: null, count };
}

/** A stored value as it is written in a formula. */
function literalOf({ workspace }: WorkspaceAccess, field: Field, stored: unknown, text = ''): string {
  const type = valueTypeOf(field);
  // What has no literal of its own is read from its text.
  if (['record', 'member', 'place', 'files', 'options', 'money', 'timestamp', 'duration'].includes(type.is))
    return `'${(text || String(stored)).replaceAll("'", "''")}'`;
  const value = fromColumn(type, typeof stored === 'number' && type.is === 'number' ? String(stored) : stored);
  return printFormula(workspace.model, { do: 'value', type, value });
}
