import { compileCondition } from '$core/formula/compiler';
import type { Expression } from '$core/formula/expression';
import { fieldOf, isStored, linkedTable, tableOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { withoutInternal } from '$core/model/visible';
import { shownType } from '$core/model/shownType';
import { quoteIdentifier } from '$core/sql';
import { plainReading } from '$core/fieldTypes/registry';
import { acting, homeOf, tableName, type Seat } from '../access/seat';
import type { Client, Pool } from '../database/pool';
import { refuse } from '../base/refusal';
import { columnType, toColumn, wireOf } from '../sql/column';
import { textSql } from '../fieldTypes/registry';
import { titleSql } from './selection';
import { takeValues } from './recordJson';

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
  seat: Seat,
  table: Table,
  link: Field,
  { typed, limit, record, draft, any, offers, outside }: CandidateQuestion,
): Promise<Candidate[]> {
  const { workspace, whole } = seat;
  const target = linkedTable(workspace.model, link)?.table;
  if (!target) throw refuse(422, `${link.label} is no link.`);
  const told = outside ? withoutInternal(workspace.model) : workspace.model;
  const title = titleSql({ ...seat, workspace: { ...workspace, model: told } }, tableOf(told, target.id), 'x');
  const { zone } = homeOf(workspace, target);
  const shown = (link.type.kind === 'link' && !outside ? (link.type.shows ?? []) : [])
    .map((id) => fieldOf(workspace.model, id).field)
    .filter(isStored);
  const texts = shown.map((field) =>
    textSql(`x.${quoteIdentifier(field.key)}`, shownType(workspace.model, field), zone),
  );
  const parameters: unknown[] = [typed, limit];
  // A limit holds for those, too, who may not see what it reads.
  const wholeLink = fieldOf(whole.model, link.id).field;
  const limited = any ? { from: '', where: '' } : limitOf(acting(seat), table, wholeLink, record, draft, parameters);
  const offered = offers ? conditionOver(acting(seat), target, offers, 'x') : { joins: '', where: 'true' };
  const places = [title, ...texts].map((text) => `strpos(lower(${text}), lower($1))`);
  const { rows } = await connection.query<{ id: number; title: string; shows: (string | null)[] }>(
    `select x._id as id, ${title} as title, array[${texts.join(', ')}]::text[] as shows from ${tableName(workspace, target)} x ${limited.from} ${offered.joins}
     where (${places.map((place) => `${place} > 0`).join(' or ')})${limited.where} and (${offered.where})
     order by nullif(${places[0]}, 0) nulls last, (${title}) collate loom.people, x._id limit $2`,
    parameters,
  );
  return rows;
}

/** A condition over records of a table that stand as `root`, on the clocks of the workspace they are in. */
function conditionOver(
  { workspace }: Seat,
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
    root,
    aggregates: 'each',
  });
}

/** Whether all of these records of a table meet a condition. */
export async function meetAll(
  connection: Pool | Client,
  seat: Seat,
  table: Table,
  ids: readonly number[],
  condition: Expression,
): Promise<boolean> {
  const { where, joins } = conditionOver(acting(seat), table, condition, 'x');
  const { rows } = await connection.query<{ n: number }>(
    `select count(*) as n from ${tableName(seat.workspace, table)} x ${joins} where x._id = any($1) and (${where})`,
    [ids],
  );
  return rows[0]?.n === ids.length;
}

/** The limit as SQL: the record as it is filled in now, with the candidate standing in the link. */
function limitOf(
  seat: Seat,
  table: Table,
  link: Field,
  record: number | null,
  draft: Readonly<Record<string, unknown>>,
  parameters: unknown[],
): { from: string; where: string } {
  if (link.type.kind !== 'link' || !link.type.candidates) return { from: '', where: '' };
  const { workspace } = seat;
  const known = Object.fromEntries(
    Object.entries(draft).filter(([name]) => table.fields.some(({ key, id }) => key === name || id === name)),
  );
  const taken = takeValues(table, known, '/values', { ...plainReading, zone: workspace.zone });
  const stored = table.fields.filter(isStored);
  const columns = stored.map((field) => {
    const name = quoteIdentifier(field.key);
    if (field.id === link.id) return `x._id as ${name}`;
    const value = taken.get(field);
    if (value?.kind === 'value')
      return `$${parameters.push(toColumn(field, value.value))}::${wireOf(field).type}${wireOf(field).cast} as ${name}`;
    return record === null ? `null::${columnType(field)} as ${name}` : `o.${name}`;
  });
  const standing =
    record === null
      ? ''
      : `left join (select 1) one on true left join ${tableName(workspace, table)} o on o._id = $${parameters.push(record)}`;
  const { where, joins } = conditionOver(seat, table, link.type.candidates, 'r');
  const own = `cross join lateral (select ${record === null ? 'null::bigint' : 'o._id'} as _id, ${columns.join(', ')} from (select 1) d ${standing}) r`;
  return { from: `${own} ${joins}`, where: ` and (${where})` };
}
