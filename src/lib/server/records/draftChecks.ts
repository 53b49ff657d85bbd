import { compileCondition, noViewer } from '$core/formula/compiler';
import { fieldOf, isStored, isWritten } from '$core/model/model';
import type { Model, Table, TableRule } from '$core/types/model';
import type { Field } from '$core/types/field';
import type { Problem } from '$core/base/problem';
import { printValue, type EnteredType } from '$core/fieldTypes/registry';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import { refuse, type Refusal } from '../base/refusal';
import type { FieldId } from '$core/types/identity';
import type { Scalar } from '$core/types/expression';
import { columnType, sent, wireOf } from '../sql/column';
import { isHeldByDatabase } from './rules';
import { identifier, join, raw, sql, type Sql } from '../base/sql';

/** A record as it would be written: `id` null for a new one, `place` where it stands in what was sent. */
export interface Draft {
  readonly place: number;
  readonly id: number | null;
  readonly values: ReadonlyMap<FieldId, Scalar>;
}

/** What is wrong with one of several records that are written together. */
export interface DraftProblem extends Problem {
  readonly record: number;
  /** The field's key, where it is about one. */
  readonly field?: string;
}

export const mostProblems = 100;

/**
 * One refusal for all that is wrong with records that were sent together: what is wrong with the first, and the list.
 */
export function refuseAll(problems: readonly DraftProblem[], all = problems.length): Refusal {
  const [first] = problems;
  const message = first?.message ?? 'Nothing of this can be written.';
  const words =
    all > 1
      ? `${message.replace(/\.$/, '')} (record ${(first?.record ?? 0) + 1}; ${all - 1} more like this or other problems).`
      : message;
  const shown = problems.slice(0, mostProblems).map(({ field: _, ...problem }) => problem);
  return Object.assign(refuse(422, words, first?.fix, first?.at), {
    details: all > 1 ? { errors: shown, more: Math.max(0, all - shown.length) } : {},
  });
}

/**
 * What the database would refuse of records before any of them is written: values that must be unique and are taken, by
 * a record that stands or by another one of these, and rules over a record's own fields. Up to `mostProblems`, in the
 * order sent.
 */
export async function problemsOfDrafts(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  drafts: readonly Draft[],
): Promise<DraftProblem[]> {
  const { model } = access.workspace;
  const written = new Set(drafts.flatMap(({ values }) => [...values.keys()]));
  const uniques: Unique[] = [
    ...table.fields.flatMap((field) =>
      field.unique && written.has(field.id) ? [{ fields: [field], message: null }] : [],
    ),
    ...(table.rules ?? []).flatMap((rule) =>
      rule.kind === 'unique' && rule.fields.some((id) => written.has(id))
        ? [{ fields: rule.fields.map((id) => fieldOf(model, id).field), message: rule.message }]
        : [],
    ),
  ];
  const rules = (table.rules ?? []).flatMap((rule) =>
    rule.kind === 'holds' && isHeldByDatabase(model, rule) ? [rule] : [],
  );
  if ((uniques.length === 0 && rules.length === 0) || drafts.length === 0) return [];
  const rows = draftRows(access, table, drafts);
  const found: DraftProblem[] = [];
  for (const unique of uniques) found.push(...(await clashesOf(connection, access, table, drafts, rows, unique)));
  for (const rule of rules) found.push(...(await breaksOf(connection, model, rows, rule)));
  return found.sort((a, b) => a.record - b.record).slice(0, mostProblems);
}

/** Fields whose values together stand only once, with the words of the rule that says so. */
interface Unique {
  readonly fields: readonly Field[];
  readonly message: string | null;
}

/** Drafts whose values are taken: by a record that stands, or by another one of these. */
async function clashesOf(
  connection: Pool | Client,
  access: WorkspaceAccess,
  table: Table,
  drafts: readonly Draft[],
  rows: Sql,
  { fields, message }: Unique,
): Promise<DraftProblem[]> {
  const changed = drafts.flatMap(({ id }) => (id === null ? [] : [id]));
  const columns = fields.map(({ key }) => identifier(key));
  const same = columns.map((column) => sql`t.${column} = d.${column}`);
  const filled = columns.map((column) => sql`${column} is not null`);
  const { rows: clashes } = await connection.query<{ place: number; other: number | null }>(
    sql`
      with d as materialized (${rows})
      select d._place as place, null::int as other
      from d join ${tableSql(access.workspace, table)} t
        on ${join(same, ' and ')} and t._id is distinct from d._id
      where not t._id = any(${changed}::bigint[])
      union all
      select place, first - 1
      from (
        select d._place as place, min(d._place + 1) over (partition by ${join(columns)}) as first
        from d
        where ${join(filled, ' and ')}
      ) s
      where place + 1 > first
      order by 1
      limit ${mostProblems}
    `,
  );
  return clashes.map(({ place, other }) => clashOf(drafts, fields, message, place, other));
}

/** Drafts that break a rule over a record's own fields. */
async function breaksOf(
  connection: Pool | Client,
  model: Model,
  rows: Sql,
  { condition, message }: TableRule & { readonly kind: 'holds' },
): Promise<DraftProblem[]> {
  const { where, joins } = compileCondition(condition, {
    model,
    nameOf: () => '',
    today: 'null::date',
    zone: 'UTC',
    viewer: noViewer,
    root: 'd',
    aggregates: 'each',
  });
  if (joins.trim() !== '') return [];
  const { rows: broken } = await connection.query<{ place: number }>(
    sql`
      with d as (${rows})
      select d._place as place from d where not (${raw(where)})
      order by 1
      limit ${mostProblems}
    `,
  );
  const fix = 'Change the record so that the rule holds.';
  return broken.map(({ place }) => ({ record: place, message, fix, at: `/records/${place}` }));
}

function clashOf(
  drafts: readonly Draft[],
  fields: readonly Field[],
  message: string | null,
  place: number,
  other: number | null,
): DraftProblem {
  const draft = drafts.find((one) => one.place === place);
  const [field] = fields;
  const value = field && draft?.values.get(field.id);
  const shown =
    value === null || value === undefined || field?.type.kind === 'link'
      ? 'this value'
      : `“${printValue(value, field?.type as EnteredType).slice(0, 60)}”`;
  const label = fields.map((one) => one.label).join(' and ');
  const words =
    message ??
    `${label} must be unique, and ${shown} is ${other === null ? 'taken' : `in record ${other + 1} of these, too`}.`;
  return {
    record: place,
    message: words,
    fix:
      other === null
        ? 'Choose another value, or open the record that has it.'
        : 'Give each of them a value of its own.',
    at: `/records/${place}/values/${field?.key ?? ''}`,
    ...(field && fields.length === 1 ? { field: field.key } : {}),
  };
}

/** The drafts as rows: what is written, over what stands; `_place` and `_id` beside. */
function draftRows(access: WorkspaceAccess, table: Table, drafts: readonly Draft[]): Sql {
  const written = new Set(drafts.flatMap(({ values }) => [...values.keys()]));
  const fields = table.fields.filter(({ id }) => written.has(id));
  const all = drafts.map(({ values }) => values);
  const arrays = fields.flatMap((field) => [
    sql`${sent(field, all)}::${raw(wireOf(field).type)}[]`,
    sql`${all.map((values) => values.has(field.id))}::boolean[]`,
  ]);
  const names = ['place', 'id', ...fields.flatMap((_, index) => [`v${index}`, `h${index}`])];
  const columns = table.fields
    .filter((field) => isStored(field) && (isWritten(field) || written.has(field.id)))
    .map((field) => {
      const column = identifier(field.key);
      const index = fields.indexOf(field);
      const stored = sql`s.${column}`;
      const value =
        index < 0
          ? stored
          : sql`
            case when x.${raw(`h${index}`)} then x.${raw(`v${index}${wireOf(field).cast}`)} else ${stored} end
          `;
      return sql`(${value})::${raw(columnType(field))} as ${column}`;
    });
  return sql`
    select ${join([raw('x.place as _place'), raw('x.id as _id'), ...columns])}
    from unnest(${join([
      sql`${drafts.map(({ place }) => place)}::int[]`,
      sql`${drafts.map(({ id }) => id)}::bigint[]`,
      ...arrays,
    ])}) x(${raw(names.join(', '))})
    left join ${tableSql(access.workspace, table)} s on s._id = x.id
  `;
}
