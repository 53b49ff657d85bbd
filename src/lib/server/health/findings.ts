import { createHash } from 'node:crypto';
import { hierarchyPaths } from '$core/flow/hierarchy';
import { compileFormulas, noViewer } from '$core/formula/compiler';
import { storedValue, suspicionsOf, type Suspicion } from '$core/formula/findings/findings';
import { printFormula } from '$core/formula/printer';
import { ownTables, typeAs } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/base/sql';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../access/workspaceState';
import type { Pool } from '../database/pool';
import { poolBehind } from '../database/reading';
import { epochOf } from '../sql/statement';
import { acceptedOf, leftBy, type Left } from './acceptedFindings';
import { dataFindings } from './dataFindings';
import { routineFindings } from './routineFindings';
import { titleSql } from '../query/selection';
import type { Finding } from './finding';
import { raw, sql } from '../base/sql';

const mostShown = 20;
const kept = new Map<string, { readonly state: string; readonly findings: readonly Finding[] }>();

/**
 * What is wrong with a table: with its calculated values, and with what stands in it. Kept until something was written
 * or the day went on.
 */
export async function findingsOf(pool: Pool, access: WorkspaceAccess, table: Table): Promise<readonly Finding[]> {
  const { workspace } = access;
  const { rows } = await pool.query<{ last: number | null }>(
    sql`
      select max(id) as last
      from loom.batches
      where workspace = any(${[workspace.id, ...workspace.peers.map(({ id }) => id)]})
    `,
  );
  const accepted = await acceptedOf(pool, access, table);
  const state = `${epochOf(workspace)} ${rows[0]?.last ?? 0} ${workspace.day} ${accepted.map(({ id }) => id).join(',')}`;
  const key = `${workspace.id} ${table.id} ${JSON.stringify(access.sights)}`;
  const known = kept.get(key);
  const left = leftBy(access, table, accepted);
  // Whether routines run changes without anything being written.
  const ofRoutines = await routineFindings(pool, access, table, left);
  if (known?.state === state) return [...known.findings, ...ofRoutines];
  const findings: Finding[] = [];
  for (const field of table.fields)
    if (field.type.kind === 'formula') findings.push(...(await findingsOfField(pool, access, table, field, left)));
  findings.push(...(await dataFindings(pool, access, table, left)));
  if (kept.size > 2000) kept.clear();
  kept.set(key, { state, findings });
  return [...findings, ...ofRoutines];
}

/**
 * How long the count in the rail may lag behind, in milliseconds: every page asks for it, and large tables take their
 * time.
 */
const countLag = 60_000;
const counts = new Map<string, { readonly at: number; readonly count: Promise<number> }>();

/**
 * How many findings a workspace has, or had within the last minute; asked for by many at once it is looked for once.
 */
export function countFindings(pool: Pool, access: WorkspaceAccess): Promise<number> {
  const key = `${access.workspace.id} ${JSON.stringify(access.sights)}`;
  const known = counts.get(key);
  if (known && Date.now() - known.at < countLag) return known.count;
  const count = (async () => {
    let found = 0;
    // Others wait for the same count, so it does not end with whoever asked first.
    for (const table of ownTables(access.workspace.model))
      found += (await findingsOf(poolBehind(pool), access, table)).length;
    return found;
  })();
  counts.set(key, { at: Date.now(), count });
  // What could not be counted is tried again by whoever asks next.
  count.catch(() => counts.delete(key));
  return count;
}

/** What was accepted or no longer is shows in the count at once. */
export function forgetCount({ workspace }: WorkspaceAccess): void {
  for (const key of counts.keys()) if (key.startsWith(`${workspace.id} `)) counts.delete(key);
}

async function findingsOfField(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  field: Field,
  left: (finding: string) => Left,
): Promise<Finding[]> {
  const { model } = access.workspace;
  const { formula } = typeAs(field, 'formula');
  const suspicions = suspicionsOf(model, formula, storedValue(model, field.id)).map((one): Suspected => {
    const id = `${one.kind}:${field.id}:${createHash('sha1').update(JSON.stringify(one.condition, inOrder)).digest('hex').slice(0, 12)}`;
    return { ...one, id, left: left(id) };
  });
  const open = suspicions.filter((one) => !one.left.whole);
  const blank = open.filter(({ kind }) => kind !== 'passed over');
  const passed = open.filter(({ kind }) => kind === 'passed over');
  const found = [
    ...(blank.length > 0 ? await counted(pool, access, table, blank, `r.${quoteIdentifier(field.key)} is null`) : []),
    ...(passed.length > 0 ? await counted(pool, access, table, passed, 'true') : []),
  ];
  return [
    ...(await cycleFinding(pool, access, table, field, left)),
    ...found.map((one) => ({ ...one, field: field.key, label: field.label })),
  ];
}

/** Members by their names: a model that was read from the database has them in another order than one just made. */
const inOrder = (_: string, value: unknown): unknown =>
  value !== null && typeof value === 'object' && !Array.isArray(value)
    ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
    : value;

/** A suspicion as a finding is named, with what of it was accepted. */
interface Suspected extends Suspicion {
  readonly id: string;
  readonly left: Left;
}

/** How many records each suspicion is true of, in one pass over those it can be true of. */
async function counted(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  suspicions: readonly Suspected[],
  among: string,
): Promise<Omit<Finding, 'field' | 'label'>[]> {
  const { workspace } = access;
  const { day, zone } = homeOf(workspace, table);
  const { values, joins } = compileFormulas(
    suspicions.map(({ condition }) => condition),
    {
      model: workspace.model,
      nameOf: (other) => tableName(workspace, other),
      today: `'${day}'::date`,
      zone,
      viewer: noViewer,
      root: 'r',
      aggregates: among === 'true' ? 'grouped' : 'each',
    },
  );
  const wheres = suspicions.map(({ left }, index) => `${values[index] ?? 'false'}${left.where}`);
  const counts = wheres.map((where, index) => `count(*) filter (where ${where}) as n${index}`);
  const from = `from ${tableName(workspace, table)} r ${joins} where ${among}`;
  const { rows } = await pool.query<Record<string, number>>(sql`select ${raw(counts.join(', '))} ${raw(from)}`);
  const met = suspicions
    .map((one, index) => ({ one, index, count: rows[0]?.[`n${index}`] ?? 0 }))
    .filter(({ count }) => count > 0);
  const found: Omit<Finding, 'field' | 'label'>[] = [];
  for (const { one, index, count } of met) {
    const { rows: records } = await pool.query<{ id: number; title: string }>(
      sql`
        select r._id as id,
          ${raw(titleSql(access, table, 'r'))} as title ${raw(from)} and ${raw(wheres[index] ?? 'false')}
        order by r._id limit ${mostShown}
      `,
    );
    const { id, kind, words, part, left } = one;
    const filter = left.filter(printFormula(workspace.model, one.condition));
    found.push({
      id,
      byRecord: true,
      kind,
      table: table.key,
      words,
      part,
      count,
      filter,
      records,
      acceptedRecords: left.records,
    });
  }
  return found;
}

/** Records that have no value as they would come from themselves. */
async function cycleFinding(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  field: Field,
  left: (finding: string) => Left,
): Promise<Finding[]> {
  // What was kept of a formula that went over a hierarchy before says nothing of the one now.
  if (hierarchyPaths(access.workspace.model, field).length === 0) return [];
  const id = `cycle:${field.id}`;
  const { whole, where } = left(id);
  if (whole) return [];
  const { rows } = await pool.query<{ id: number; title: string; n: number }>(
    sql`
      select r._id as id, ${raw(titleSql(access, table, 'r'))} as title, count(*) over () as n
      from ${tableSql(access.workspace, table)} r
      join loom.record_cycles c on c.record_id = r._id and c.field_id = ${field.id}
      where true${raw(where)}
      order by r._id limit ${mostShown}
    `,
  );
  const [first] = rows;
  if (!first) return [];
  const records = rows.map((row) => ({ id: row.id, title: row.title }));
  const words = 'the records are linked in a ring, so each would come from itself';
  return [
    {
      id,
      byRecord: true,
      kind: 'cycle',
      table: table.key,
      field: field.key,
      label: field.label,
      words,
      part: null,
      count: first.n,
      filter: null,
      records,
    },
  ];
}
