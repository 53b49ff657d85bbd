import { duplicatesIn, type Likeness } from '$core/transfer/duplicates';
import { shownType } from '$core/formula/shownType';
import { isStored, valueTypeOf } from '$core/model/model';
import type { Expression } from '$core/types/expression';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableSql } from '../access/workspaceState';
import { refuse } from '../base/refusal';
import { raw, sql } from '../base/sql';
import type { Pool } from '../database/pool';
import { textSql } from '../fieldTypes/registry';
import { Selection, titleSql } from '../query/selection';

/** So many records are compared with each other; more are narrowed by a condition first. */
const mostCompared = 300_000;
const mostGroups = 1_000;

export interface Duplicates {
  readonly items: readonly {
    /** From 0 up to 1: how sure it is that these are one thing. */
    readonly score: number;
    readonly records: readonly { readonly id: number; readonly title: string }[];
  }[];
  readonly next: null;
  /** Records that were compared. */
  readonly compared: number;
  /** Groups that were found and are not among these. */
  readonly left: number;
}

/** Groups of records of a table that are probably one thing, the likeliest first. */
export async function findDuplicates(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  by: readonly Field[],
  how: Likeness,
  where: Expression | null,
): Promise<Duplicates> {
  const { workspace } = access;
  const selection = new Selection(access, table);
  const [condition = 'true'] = selection.conditions(where ? [where] : []);
  const texts = by.map((field, at) => {
    selection.add(field, at);
    const { column, title } = selection.columnAt(at);
    const text = title ?? textSql(column, shownType(workspace.model, field), homeOf(workspace, table).zone);
    return `loom.trimmed(${text}) as t${at}`;
  });
  const { rows } = await pool.query<Record<string, string | null> & { id: number }>(sql`
    select r._id as id, ${raw(texts.join(', '))}
    from ${raw(selection.from)}
    where ${raw(condition)}
    order by r._id limit ${mostCompared + 1}
  `);
  if (rows.length > mostCompared)
    throw refuse(
      422,
      `More than ${mostCompared.toLocaleString('en')} records would be compared with each other.`,
      'Choose fewer by a condition.',
      '/where',
    );
  const { rows: apart } = await pool.query<{ one: number; other: number }>(
    sql`select one, other from loom.never_same where workspace = ${workspace.id} and table_id = ${table.id}`,
  );
  const never = new Set(apart.map(({ one, other }) => `${one} ${other}`));
  const records = rows.map((row) => ({ id: row.id, texts: by.map((_, at) => row[`t${at}`] ?? null) }));
  const work = duplicatesIn(records, how, (a, b) => never.has(`${Math.min(a, b)} ${Math.max(a, b)}`));
  let step = work.next();
  // Others are answered meanwhile.
  for (; !step.done; step = work.next()) await new Promise((resolve) => setImmediate(resolve));
  const groups = step.value;
  const shown = groups.slice(0, mostGroups);
  const { rows: titles } = await pool.query<{ id: number; title: string }>(sql`
    select r._id as id, ${raw(titleSql(access, table, 'r'))} as title
    from ${tableSql(workspace, table)} r
    where r._id = any(${shown.flatMap(({ records: ids }) => ids)}::bigint[])
  `);
  const titleOf = new Map(titles.map(({ id, title }) => [id, title]));
  return {
    items: shown.map(({ score, records: ids }) => ({
      score: Math.round(score * 1000) / 1000,
      records: ids.map((id) => ({ id, title: titleOf.get(id) ?? `#${id}` })),
    })),
    next: null,
    compared: rows.length,
    left: groups.length - shown.length,
  };
}

/** Whether records can be told alike by a field. */
export const isComparable = (field: Field): boolean =>
  isStored(field) && !['place', 'files', 'options'].includes(valueTypeOf(field).is);

/** Remembers that records are not the same thing, each of them with each of the others. */
export async function keepApart(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  records: readonly number[],
): Promise<{ readonly pairs: number }> {
  requireRight(access, 'write');
  const ids = [...new Set(records)].sort((a, b) => a - b);
  const seen = await pool.query(sql`
    select from ${tableSql(access.workspace, table)} r where r._id = any(${ids}::bigint[])
  `);
  if (seen.rowCount !== ids.length)
    throw refuse(409, 'One of these records was deleted meanwhile.', 'Look for duplicates again.', '/records');
  const pairs = ids.flatMap((one, at) => ids.slice(at + 1).map((other) => [one, other] as const));
  await pool.query(sql`
    insert into loom.never_same (workspace, table_id, one, other, person)
    select ${access.workspace.id}, ${table.id}, u.one, u.other, ${access.person.id}
    from unnest(${pairs.map(([one]) => one)}::bigint[], ${pairs.map(([, other]) => other)}::bigint[]) u(one, other)
    on conflict do nothing
  `);
  return { pairs: pairs.length };
}

export interface KeptApart {
  readonly records: readonly { readonly id: number; readonly title: string }[];
  readonly by: string;
  readonly at: string;
}

/** Pairs of records that somebody said are not the same, the newest first; those that are gone or not seen are left out. */
export async function keptApart(pool: Pool, access: WorkspaceAccess, table: Table): Promise<KeptApart[]> {
  const name = tableSql(access.workspace, table);
  const { rows } = await pool.query<{ one: number; other: number; a: string; b: string; by: string; at: string }>(sql`
    select n.one, n.other, ${raw(titleSql(access, table, 'x'))} as a, ${raw(titleSql(access, table, 'y'))} as b,
      p.name as by, n.at
    from loom.never_same n
    join ${name} x on x._id = n.one
    join ${name} y on y._id = n.other
    join loom.people p on p.id = n.person
    where n.workspace = ${access.workspace.id} and n.table_id = ${table.id}
    order by n.at desc, n.one, n.other limit 500
  `);
  return rows.map(({ one, other, a, b, by, at }) => ({
    records: [
      { id: one, title: a },
      { id: other, title: b },
    ],
    by,
    at,
  }));
}

/** Forgets that two records are not the same. */
export async function forgetApart(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  records: readonly number[],
): Promise<void> {
  requireRight(access, 'write');
  await pool.query(sql`
    delete from loom.never_same
    where workspace = ${access.workspace.id} and table_id = ${table.id} and one = any(${records}::bigint[])
      and other = any(${records}::bigint[])
  `);
}
