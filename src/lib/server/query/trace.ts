import { hierarchyPaths } from '$core/flow/hierarchy';
import { compileFormulas, compileGathered, noViewer } from '$core/formula/compiler';
import type { Aggregate, Expression } from '$core/types/expression';
import { printFormula } from '$core/formula/printer';
import { traceOf, tracedParts, type TraceStep } from '$core/formula/trace';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../access/workspaceState';
import type { Pool } from '../database/pool';
import { notHere, refuse } from '../base/refusal';
import { textSql } from '../fieldTypes/registry';
import { titleSql } from './selection';
import { join, raw, sql } from '../base/sql';

/** Records that went into an aggregate, those with the greatest share first. */
interface TracedRecords {
  readonly text: string;
  readonly table: { readonly key: string; readonly label: string; readonly home: string | null };
  readonly total: number;
  readonly records: readonly { readonly id: number; readonly title: string; readonly value: string | null }[];
}

export interface Trace {
  readonly record: string;
  readonly step: TraceStep;
  readonly gathered: readonly TracedRecords[];
}

const mostShown = 100;

/** How the value of a calculated field of one record comes about: each part's value, and the records that went in. */
export async function traceField(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  field: Field,
  id: number,
): Promise<Trace> {
  if (field.type.kind !== 'formula')
    throw refuse(422, `${field.label} is not calculated from what you may see.`, 'Choose a calculated field.');
  const { model } = access.workspace;
  const { formula } = field.type;
  const { day, zone } = homeOf(access.workspace, table);
  const options = {
    model,
    nameOf: (other: Table) => tableName(access.workspace, other),
    today: `'${day}'::date`,
    zone,
    viewer: noViewer,
    root: 'r',
    aggregates: 'each',
  } as const;
  const parts = tracedParts(formula);
  const compiled = compileFormulas(parts, options);
  const shown = (value: string, part: Expression) => textSql(value, shownAs(access, part), zone);
  const columns = compiled.values.map((value, index) => `${shown(value, parts[index] ?? formula)} as v${index}`);
  const { rows } = await pool.query<Record<string, string | null> & { ring: boolean; beyond: boolean }>(
    sql`
      select ${join([`${titleSql(access, table, 'r')} as title`, ...columns].map(raw))},
        ${raw(compiled.raw[0] ?? 'null')} is not null and ${raw(compiled.values[0] ?? 'null')} is null as beyond,
        ${hierarchyPaths(model, field).length > 0}::boolean and exists (
          select from loom.record_cycles c where c.field_id = ${field.id} and c.record_id = r._id
        ) as ring
      from ${tableSql(access.workspace, table)} r ${raw(compiled.joins)}
      where r._id = ${id}
    `,
  );
  const [row] = rows;
  if (!row) throw notHere('record');
  const gathered: TracedRecords[] = [];
  for (const part of parts)
    if (part.do === 'aggregate') gathered.push(await gatheredBy(pool, access, table, part, options, id));
  const step = traceOf(model, formula, new Map(parts.map((part, index) => [part, row[`v${index}`] ?? null])));
  const why = row.ring
    ? 'blank: the records are linked in a ring, so it would come from itself'
    : row.beyond
      ? 'blank: beyond what a number can hold'
      : null;
  return { record: row.title ?? '', step: why === null ? step : { ...step, value: null, note: why }, gathered };
}

async function gatheredBy(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  aggregate: Aggregate,
  options: Parameters<typeof compileGathered>[1],
  id: number,
): Promise<TracedRecords> {
  const { joins, source, alias, table: from, value, order } = compileGathered(aggregate, options);
  const shown = aggregate.of ? textSql(value, shownAs(access, aggregate.of), options.zone) : 'null::text';
  const { rows } = await pool.query<{ id: number; title: string; value: string | null; total: number }>(
    sql`
      select l.*
      from ${tableSql(access.workspace, table)} r ${raw(joins)}
      join lateral (
        select ${raw(alias)}._id as id, ${raw(titleSql(access, from, alias))} as title,
          ${raw(shown)} as value, count(*) over () as total
        from ${raw(source)}
        order by ${raw(order)} limit ${mostShown}
      ) l on true
      where r._id = ${id}
    `,
  );
  return {
    text: printFormula(options.model, aggregate),
    table: { key: from.key, label: from.label, home: from.home ?? null },
    total: rows[0]?.total ?? 0,
    records: rows.map(({ total: _, ...record }) => record),
  };
}

/** A part is shown as a field with its formula would be. */
const shownAs = (access: WorkspaceAccess, part: Expression) =>
  shownType(access.workspace.model, {
    id: '',
    key: '',
    label: '',
    help: '',
    required: false,
    unique: false,
    type: { kind: 'formula', formula: part, result: part.type },
  });
