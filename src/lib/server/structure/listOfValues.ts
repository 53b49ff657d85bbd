import { distance } from 'fastest-levenshtein';
import type { Change, ChangeField } from '$core/types/change';
import { findField, isStored, isToMany, linkedTable, tableOf } from '$core/model/model';
import { type Table } from '$core/types/model';
import { dyes, type Dye, type Field, type Option } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { textSql } from '../fieldTypes/registry';
import { optionId } from '$core/fieldTypes/option';
import { plainly } from './nearMisses';
import { titleSql } from '../query/selection';
import { raw, sql } from '../base/sql';

/** A value that would become an option: how often it stands, and the more frequent one that may be meant by it. */
interface ListedValue {
  readonly label: string;
  readonly count: number;
  readonly near: string | null;
}

export interface ListOfValues {
  readonly values: readonly ListedValue[];
  /** How many further values there are that no list takes: beyond so many, or too long for a label. */
  readonly left: number;
}

/** More options than that nobody chooses from; so long a label may be, in characters. */
const limits = { options: 500, characters: 120 };

/**
 * The values of a field as the options that a list would get: each once, letter case aside, by how often it stands, the
 * most frequent spelling for all. Of a link it is every record it can point at, used or not, in the order they were
 * made. `several` takes texts apart at semicolons or commas, as a field of several options reads them.
 */
export async function listOfValues(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  field: Field,
  several: boolean,
): Promise<ListOfValues> {
  if (!isStored(field) && !isToMany(field))
    throw refuse(422, `${field.label} has no values of its own to be chosen from.`, 'Choose another field.');
  const { rows } = await connection.query<{ label: string | null; n: number; total: number }>(
    sql`
      with v as (
        select label, n, place
        from (${raw(valuesSql(access, table, field, several))}) g
        where label is not null
      )
      select v.label, v.n, t.total
      from (select count(*) as total from v) t
      left join (
        select *
        from v
        where char_length(label) <= ${raw(String(limits.characters))}
        order by place limit ${limits.options}
      ) v on true
      order by v.place
    `,
  );
  const listed = rows.flatMap(({ label, n }) => (label === null ? [] : [{ label, count: n, plain: plainly(label) }]));
  const isLink = Boolean(linkedTable(access.workspace.model, field));
  const values = listed.map(({ label, count }, index) => ({
    label,
    count,
    near: isLink ? null : nearest(listed, index),
  }));
  return { values, left: (rows[0]?.total ?? 0) - values.length };
}

/** Each label once with how often it stands (`n`) and its place in the list. */
function valuesSql(access: WorkspaceAccess, table: Table, field: Field, several: boolean): string {
  const { workspace } = access;
  const name = tableName(workspace, table);
  const column = `r.${quoteIdentifier(field.key)}`;
  const target = linkedTable(workspace.model, field)?.table;
  if (target) {
    const title = `loom.trimmed(${titleSql(access, target, 'x')})`;
    const used = isToMany(field) ? '0' : `(select count(*) from ${name} r where ${column} = x._id)`;
    return `
      select min(l) as label, sum(n)::bigint as n, min(id) as place
      from (select ${title} as l, ${used} as n, x._id as id from ${tableName(workspace, target)} x) t
      group by lower(l)
    `;
  }
  const written = textSql(column, shownType(workspace.model, field), homeOf(workspace, table).zone);
  const words = several
    ? `${name} r, regexp_split_to_table(${written}, case when strpos(${written}, ';') > 0 then ';' else ',' end) w`
    : `${name} r`;
  return `
    select (array_agg(word order by n desc, word))[1] as label, sum(n)::bigint as n,
      row_number() over (order by sum(n) desc, min(word)) as place
    from (
      select loom.trimmed(${several ? 'w' : written}) as word, count(*) as n from ${words} group by 1
    ) once
    group by lower(word)
  `;
}

/**
 * The first of those more frequent that differs by few letters for its length; numbers are never the same as others.
 */
function nearest(listed: readonly { readonly label: string; readonly plain: string }[], index: number): string | null {
  const wanted = listed[index]?.plain ?? '';
  if (wanted.length < 3 || /^\d+$/.test(wanted)) return null;
  const most = Math.max(1, Math.floor(wanted.length / 4));
  const found = listed
    .slice(0, index)
    .find(
      ({ plain }) =>
        plain === wanted || (Math.abs(plain.length - wanted.length) <= most && distance(plain, wanted) <= most),
    );
  return found?.label ?? null;
}

const isList = ({ type }: Field): boolean => type.kind === 'option' || type.kind === 'options';

/**
 * Changes in which a field that becomes a list, without its options being named, has those of the values that stand.
 */
export async function withListedValues(
  client: Client,
  access: WorkspaceAccess,
  changes: readonly Change[],
): Promise<Change[]> {
  const filled: Change[] = [];
  for (const change of changes)
    filled.push(change.do === 'changeField' ? await withOptions(client, access, change, changes) : change);
  return filled;
}

async function withOptions(
  client: Client,
  access: WorkspaceAccess,
  change: ChangeField,
  changes: readonly Change[],
): Promise<ChangeField> {
  const { type } = change.set;
  if ((type?.kind !== 'option' && type?.kind !== 'options') || type.options.length > 0 || change.restore) return change;
  // A field that the same plan makes of a link has the link's values.
  const copied = changes.find((one) => one.do === 'copyValues' && one.to === change.field);
  const from = findField(access.workspace.model, copied?.do === 'copyValues' ? copied.from : change.field);
  if (!from || isList(from.field)) return change;
  const { values } = await listOfValues(
    client,
    access,
    tableOf(access.workspace.model, from.table.id),
    from.field,
    type.kind === 'options',
  );
  const ids = new Set<string>();
  const options = values.map(({ label }, index): Option => {
    const id = optionId(label, ids);
    ids.add(id);
    return { id, label, dye: dyes[index % dyes.length] as Dye };
  });
  return { ...change, set: { ...change.set, type: { ...type, options } } };
}
