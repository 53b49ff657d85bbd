import { compileCondition } from '$core/formula/compiler';
import type { Expression } from '$core/types/expression';
import { fieldOf, isStored, linkedTable, tableOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { withoutInternal } from '$core/parts/visible';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import { plainReading } from '$core/fieldTypes/registry';
import { acting, type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../access/workspaceState';
import { viewerSql } from '../access/recordCuts';
import type { Client, Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { columnType, toColumn, wireOf } from '../sql/column';
import { textSql } from '../fieldTypes/registry';
import { titleSql } from './selection';
import { takeValues } from './recordJson';
import { empty, identifier, join, raw, sql, type Sql } from '../base/sql';

export interface Candidate {
  readonly id: number;
  readonly title: string;
  /** The texts of the fields that the link shows beside the title. */
  readonly shows: readonly (string | null)[];
}

export interface CandidateQuestion {
  readonly typed: string;
  readonly limit: number;
  /** The record being edited, and what is filled in on it but not saved yet. */
  readonly record: number | null;
  readonly draft: Readonly<Record<string, unknown>>;
  /** For a filter: also records that the link's limit leaves out. */
  readonly any?: boolean;
  /** A further condition over the candidates themselves, as a form has it. */
  readonly offers?: Expression;
  /** Asked from outside: titles that are internal are not told, nor what the link shows beside them. */
  readonly outside?: true;
}

/**
 * Records that a link can be pointed at: those that its limit lets through for this record, found by what was typed.
 */
export async function candidatesOf(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  link: Field,
  { typed, limit, record, draft, any, offers, outside }: CandidateQuestion,
): Promise<Candidate[]> {
  const { workspace, whole } = access;
  const target = linkedTable(workspace.model, link)?.table;
  if (!target) throw refuse(422, `${link.label} is no link.`);
  const told = outside ? withoutInternal(workspace.model) : workspace.model;
  const title = titleSql({ ...access, workspace: { ...workspace, model: told } }, tableOf(told, target.id), 'x');
  const { zone } = homeOf(workspace, target);
  const shown = (link.type.kind === 'link' && !outside ? (link.type.shows ?? []) : [])
    .map((id) => fieldOf(workspace.model, id).field)
    .filter(isStored);
  const texts = shown.map((field) =>
    textSql(`x.${quoteIdentifier(field.key)}`, shownType(workspace.model, field), zone),
  );
  // A limit holds for those, too, who may not see what it reads.
  const wholeLink = fieldOf(whole.model, link.id).field;
  const limited = any
    ? { from: empty, where: empty }
    : limitOf(acting(access), table, wholeLink, record, draft, access);
  const offered = offers ? conditionOver(acting(access), target, offers, 'x') : { joins: '', where: 'true' };
  const places = [title, ...texts].map((text) => sql`strpos(lower(${raw(text)}), lower(${typed}))`);
  const { rows } = await connection.query<{ id: number; title: string; shows: (string | null)[] }>(
    sql`
      select x._id as id, ${raw(title)} as title, array[${raw(texts.join(', '))}]::text[] as shows
      from ${tableSql(workspace, target)} x ${limited.from} ${raw(offered.joins)}
      where (${join(
        places.map((place) => sql`${place} > 0`),
        ' or ',
      )}) ${limited.where}
        and (${raw(offered.where)})
      order by nullif(${places[0]}, 0) nulls last, (${raw(title)}) collate loom.people, x._id
      limit ${limit}
    `,
  );
  return rows;
}

/** A condition over records of a table that stand as `root`, on the clocks of the workspace they are in. */
function conditionOver(
  { workspace, viewer }: WorkspaceAccess,
  table: Table,
  condition: Expression,
  root: string,
): { where: string; joins: string } {
  const { day, zone } = homeOf(workspace, table);
  return compileCondition(condition, {
    model: workspace.model,
    nameOf: (other) => tableName(workspace, other),
    today: `'${day}'::date`,
    zone,
    viewer: viewerSql(viewer),
    root,
    aggregates: 'each',
  });
}

/** Whether all of these records of a table meet a condition. */
export async function meetAll(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  condition: Expression,
): Promise<boolean> {
  const { where, joins } = conditionOver(acting(access), table, condition, 'x');
  const { rows } = await connection.query<{ n: number }>(
    sql`
      select count(*) as n
      from ${tableSql(access.workspace, table)} x ${raw(joins)}
      where x._id = any(${ids}) and (${raw(where)})
    `,
  );
  return rows[0]?.n === ids.length;
}

/** The limit: the record as it is filled in now, with the candidate standing in the link. */
function limitOf(
  access: WorkspaceAccess,
  table: Table,
  link: Field,
  record: number | null,
  draft: Readonly<Record<string, unknown>>,
  seen: WorkspaceAccess,
): { from: Sql; where: Sql } {
  if (link.type.kind !== 'link' || !link.type.candidates) return { from: empty, where: empty };
  const { workspace } = access;
  const known = Object.fromEntries(
    Object.entries(draft).filter(([name]) => table.fields.some(({ key, id }) => key === name || id === name)),
  );
  const taken = takeValues(table, known, '/values', { ...plainReading, zone: workspace.zone });
  const columns = table.fields.filter(isStored).map((field) => {
    const name = identifier(field.key);
    if (field.id === link.id) return sql`x._id as ${name}`;
    const value = taken.get(field);
    if (value?.kind === 'value') {
      const { type, cast } = wireOf(field);
      return sql`${toColumn(field, value.value)}::${raw(type + cast)} as ${name}`;
    }
    return record === null ? sql`null::${raw(columnType(field))} as ${name}` : sql`o.${name}`;
  });
  const standing =
    record === null
      ? empty
      : sql`left join (select 1) one on true left join ${tableSql(seen.workspace, table)} o on o._id = ${record}`;
  const { where, joins } = conditionOver(access, table, link.type.candidates, 'r');
  return {
    from: sql`
      cross join lateral (
        select ${record === null ? raw('null::bigint') : raw('o._id')} as _id, ${join(columns)}
        from (select 1) d ${standing}
      ) r ${raw(joins)}
    `,
    where: sql`and (${raw(where)})`,
  };
}
