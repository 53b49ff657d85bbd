import type { AddRule, ChangeField } from '$core/types/change';
import type { Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import { fieldOf, tableOf, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/base/sql';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName } from '../access/workspaceState';
import type { Client } from '../database/pool';
import { refuse } from '../base/refusal';
import { columnType, fromColumn, toColumn, wireOf } from '../sql/column';
import { textSql } from '../fieldTypes/registry';
import { brokenBy } from './rules';
import { raw, sql } from '../base/sql';

/** One value that a plan changed so that a new rule can hold. */
export interface FixedValue {
  readonly table: string;
  readonly field: FieldId;
  readonly id: number;
  readonly before: Scalar;
  readonly now: Scalar;
  /** The value set aside as text; null where a blank was filled. */
  readonly text: string | null;
}

/** So many values are fixed by one plan and kept for its undo; more are fixed by an edit before. */
const mostFixed = 200_000;

/**
 * Fills blanks, or sets repeated values aside, before a field is held to a new rule, where the plan says so. `access` has
 * the model after the change.
 */
export const fixBeforeRule = async (
  client: Client,
  access: WorkspaceAccess,
  change: ChangeField,
): Promise<FixedValue[]> => [
  ...(await fillBlanks(client, access, change)),
  ...(change.breaking === 'setAside' && change.set.unique ? await setRepeatedAside(client, access, change) : []),
];

interface Place {
  readonly client: Client;
  readonly access: WorkspaceAccess;
  readonly table: Table;
  readonly field: Field;
}

/** Writes one value into the field of the records a condition on `r` names, and gives what was there. */
async function overwrite(
  { client, access, table, field }: Place,
  from: string,
  where: string,
  value: Scalar,
): Promise<FixedValue[]> {
  const { workspace } = access;
  const name = tableName(workspace, table);
  const column = quoteIdentifier(field.key);
  const { type, cast } = wireOf(field);
  const { rows } = await client.query<{ id: number; before: unknown; text: string | null }>(
    sql`
      with broken as (
        select r._id as id, r.${raw(column)} as before
        from ${raw(name)} r ${raw(from)}
        where ${raw(where)}
        order by r._id limit ${mostFixed + 1}
        for no key update of r
      ) update ${raw(name)} t
      set ${raw(column)} = ${toColumn(field, value)}::${raw(type)}${raw(cast)}, _version = t._version + 1
      from broken
      where t._id = broken.id
      returning t._id as id, broken.before,
        ${raw(textSql('broken.before', field.type, homeOf(workspace, table).zone))} as text
    `,
  );
  if (rows.length > mostFixed)
    throw refuse(
      422,
      `More than ${mostFixed.toLocaleString('en')} values of “${field.label}” would have to be fixed.`,
      'Fix most of them by an edit or a load first.',
    );
  const asValue = (raw: unknown) => fromColumn(valueTypeOf(field), raw);
  return rows.map(({ id, before, text }) => ({
    table: table.id,
    field: field.id,
    id,
    before: asValue(before),
    now: value,
    text: value === null ? text : null,
  }));
}

async function fillBlanks(client: Client, access: WorkspaceAccess, change: ChangeField): Promise<FixedValue[]> {
  if (change.fill === undefined || change.fill === null) return [];
  const { field, table } = fieldOf(access.workspace.model, change.field);
  return overwrite({ client, access, table, field }, '', `r.${quoteIdentifier(field.key)} is null`, change.fill);
}

/** All but the first of those that have the same value. */
async function setRepeatedAside(client: Client, access: WorkspaceAccess, change: ChangeField): Promise<FixedValue[]> {
  const { field, table } = fieldOf(access.workspace.model, change.field);
  const column = quoteIdentifier(field.key);
  const name = tableName(access.workspace, table);
  const repeated = `
    join (
      select ${column}::${columnType(field)} as v, min(_id) as first
      from ${name}
      where ${column} is not null
      group by 1
      having count(*) > 1
    ) d on d.v = r.${column}
  `;
  return overwrite({ client, access, table, field }, repeated, 'r._id <> d.first', null);
}

/** Sets values of a field aside where their records break a new rule. */
export async function setBrokenAside(
  client: Client,
  access: WorkspaceAccess,
  { table: id, rule, clear }: AddRule,
): Promise<FixedValue[]> {
  if (rule.kind !== 'holds' || clear === undefined) return [];
  const table = tableOf(access.workspace.model, id);
  const { field } = fieldOf(access.workspace.model, clear);
  const { where, joins } = brokenBy(access, table, rule);
  return overwrite({ client, access, table, field }, joins, where, null);
}
