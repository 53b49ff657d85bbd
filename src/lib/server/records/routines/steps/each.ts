import { scopeWithin } from '$core/routines/scope';
import { fieldOf, findField, isToMany, linkedTable, overOf, typeAs } from '$core/model/model';
import { tableSql } from '../../../access/workspaceState';
import { identifier, sql } from '../../../base/sql';
import { prepared, statementEpoch } from '../../../sql/statement';
import type { StepRunner } from '../working';

export const each: StepRunner<'each'> = async ({ client, access, frame, settled, within }, { over, result, steps }) => {
  await settled();
  const { model } = access.workspace;
  const { scope, rows } = frame;
  const given = scope.given.find(({ id }) => id === over);
  const field = given ?? findField(model, over)?.field;
  const to = field && linkedTable(scope.model, field);
  if (!field || !to) return frame;
  const ids = rows.map(({ id }) => id);
  const own = tableSql(access.workspace, scope.table);
  const read = () => {
    if (field.type.kind === 'link')
      return sql`select t._id as source, t.${identifier(field.key)} as target from ${own} t where t._id = any(${ids}::bigint[])`;
    const { field: near, table } = fieldOf(model, typeAs(field, 'counterpart').link);
    const target = isToMany(field) ? fieldOf(model, overOf(field) ?? '').field.key : '_id';
    return sql`
      select p.${identifier(near.key)} as source, p.${identifier(target)} as target
      from ${tableSql(access.workspace, table)} p where p.${identifier(near.key)} = any(${ids}::bigint[])
    `;
  };
  const pairs = given
    ? rows.map(({ id, given: all }) => ({ source: id, target: all.get(over) ?? null }))
    : (await prepared(client, read(), statementEpoch(access.workspace))).rows;
  // A record that several lead to is worked on once, from the first of them.
  const from = new Map<number, number>();
  for (const { source, target } of pairs)
    if (target !== null && target !== undefined)
      from.set(Number(target), Math.min(Number(source), from.get(Number(target)) ?? Infinity));
  const inner = scopeWithin(model, scope, to.table.id, result);
  const linked = [...from]
    .sort(([a], [b]) => a - b)
    .map(([id, source]) => ({ id, given: new Map([[result.id, source]]) }));
  if (linked.length > 0) await within({ scope: inner, rows: linked }, steps);
  return frame;
};
