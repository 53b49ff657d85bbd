import { selfId, type Scope } from '$core/routines/scope';
import { valueTypeOf } from '$core/model/model';
import type { Expression, Scalar } from '$core/types/expression';
import type { Field } from '$core/types/field';
import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import type { FilledField } from '$core/types/recordChange';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { tableSql } from '../../access/workspaceState';
import { identifier, join, raw, sql, type Sql } from '../../base/sql';
import type { Client } from '../../database/pool';
import { fromColumn, toColumn, wireOf } from '../../sql/column';
import { among, prepared, statementEpoch } from '../../sql/statement';
import type { StoredValues } from '../edits';
import { compiledOver } from '../sets/chosen';
import { filledValues } from '../sets/values';

/** The records that a step works on, each with what was asked and what the steps before gave. */
export interface Frame {
  readonly scope: Scope;
  readonly rows: readonly FrameRow[];
}

export interface FrameRow {
  readonly id: number;
  readonly given: ReadonlyMap<FieldId, Scalar>;
}

/** What a formula gave that does not fit the field it is for. */
export interface Misfit {
  readonly record: number;
  readonly field: Field;
  readonly text: string;
  readonly reason: string;
}

/** What filling fields came to: the values of each record, and what does not fit. */
export interface FilledIn {
  readonly records: readonly { readonly id: number; readonly values: StoredValues }[];
  readonly misfits: readonly Misfit[];
}

/** The access before which the table of a scope has what was given as fields. */
export const over = (access: WorkspaceAccess, { model }: Scope): WorkspaceAccess => ({
  ...access,
  workspace: { ...access.workspace, model },
});

/** The records of a frame as `r`, with what was given in columns of its own. */
export function rowsSql({ workspace }: WorkspaceAccess, { scope, rows }: Frame): Sql {
  const { table } = scope;
  const given = scope.given.filter(({ id }) => id !== selfId);
  const ids = rows.map(({ id }) => id);
  const columns = given.map((field) => {
    const { type } = wireOf(field);
    return sql`${rows.map((row) => toColumn(field, row.given.get(field.id) ?? null))}::${raw(type)}[]`;
  });
  const names = given.map(({ key }) => identifier(key));
  const values = given.map((field) =>
    raw(`g.${identifier(field.key).sql}${wireOf(field).cast} as ${identifier(field.key).sql}`),
  );
  const self = raw(`t._id as ${identifier(scope.given.find(({ id }) => id === selfId)?.key ?? selfId).sql}`);
  if (given.length === 0)
    return sql`(
      select t.*, ${self} from ${tableSql(workspace, table)} t where ${among(raw('t._id'), ids)}
    )`;
  return sql`(
    select t.*, ${join([self, ...values])}
    from ${tableSql(workspace, table)} t
    join unnest(${join([sql`${ids}::bigint[]`, ...columns])}) g(${join([raw('_id'), ...names])}) on g._id = t._id
  )`;
}

/**
 * What formulas give for fields of `owner`, for each record of a frame that is still there, as the fields have it; and
 * what does not fit. In the order of the records' numbers.
 */
export async function filledFor(
  client: Client,
  access: WorkspaceAccess,
  frame: Frame,
  owner: Table,
  filled: readonly FilledField[],
): Promise<FilledIn> {
  const seen = over(access, frame.scope);
  const { values, joins } = filledValues(
    { client, access: seen, batch: 0, step: 0 },
    owner,
    frame.scope.table,
    filled,
    false,
  );
  const columns = values.flatMap(({ value, text }, at) => [
    sql`${value} as ${raw(`v${at}`)}`,
    ...(text ? [sql`${text} as ${raw(`t${at}`)}`] : []),
  ]);
  const { rows } = await prepared(
    client,
    sql`
    select ${join([raw('r._id as id'), ...columns])} from ${rowsSql(access, frame)} r ${joins} order by r._id
  `,
    statementEpoch(access.workspace),
  );
  const misfits: Misfit[] = [];
  const records = rows.map((row) => {
    const id = Number(row.id);
    const own = values.map(({ field, text, reason }, at): readonly [FieldId, Scalar] => {
      const value = fromColumn(valueTypeOf(field), row[`v${at}`]);
      const written = text ? row[`t${at}`] : null;
      if (value === null && typeof written === 'string') misfits.push({ record: id, field, text: written, reason });
      return [field.id, value];
    });
    return { id, values: new Map(own) };
  });
  return { records, misfits };
}

/** What formulas give for each record of a frame that is still there, as scalars of their types. */
export async function valuesFor(
  client: Client,
  access: WorkspaceAccess,
  frame: Frame,
  formulas: readonly Expression[],
): Promise<ReadonlyMap<number, readonly Scalar[]>> {
  if (frame.rows.length === 0) return new Map();
  const { values, joins } = compiledOver(over(access, frame.scope), frame.scope.table, formulas, false);
  const columns = values.map((value, at) => raw(`${value} as v${at}`));
  const { rows } = await prepared(
    client,
    sql`
    select ${join([raw('r._id as id'), ...columns])} from ${rowsSql(access, frame)} r ${raw(joins)} order by r._id
  `,
    statementEpoch(access.workspace),
  );
  return new Map(rows.map((row) => [Number(row.id), formulas.map(({ type }, at) => fromColumn(type, row[`v${at}`]))]));
}
