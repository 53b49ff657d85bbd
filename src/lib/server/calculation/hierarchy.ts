import { isOverHierarchy } from '$core/flow/hierarchy';
import type { CalculatedField, CalculationStep } from '$core/flow/graph';
import { recordsOnCycles, type Edge } from '$core/flow/recordCycles';
import type { FieldId } from '$core/types/identity';
import { fieldOf, tableOf, typeAs } from '$core/model/model';
import type { Table } from '$core/types/model';
import { quoteIdentifier } from '$core/base/sql';
import { homeOf, tableName, tableSql, type WorkspaceState } from '../access/workspaceState';
import { statementEpoch, prepared } from '../sql/statement';
import { affectedOver } from './affected';
import { recalculateStep, stepStatement, type StepDone } from './calculationStep';
import { Gathered, mostLimited, type Effects, type Ids, type Known } from './effects';
import { requireAlone, type Recalculation } from './effects';
import { identifier, raw, sql } from '../base/sql';

/** From so many records on, a level's aggregates are gathered over the whole table at once. */
const grouped = 20_000;

/**
 * Works out a field that reads itself over a hierarchy, level by level. Records on a cycle have no value; they are kept
 * in `loom.record_cycles`, where Health finds them and the next edit knows them.
 */
export async function recalculateHierarchy(
  run: Recalculation,
  known: Known,
  step: CalculationStep,
  ids: Ids,
): Promise<StepDone> {
  const [calculated] = step.fields;
  if (!calculated) return { differed: new Set(), effects: [] };
  return ids === 'all' ? wholeHierarchy(run, step, calculated) : alongHierarchy(run, known, step, calculated, ids);
}

/** From a few records on to all that come from them, for as long as values differ. */
async function alongHierarchy(
  run: Recalculation,
  known: Known,
  step: CalculationStep,
  calculated: CalculatedField,
  ids: ReadonlySet<number>,
): Promise<StepDone> {
  const { table, field } = calculated;
  const now = new Gathered([], known);
  const effects: Effects[] = [];
  const keep = (more: readonly Effects[]): void => {
    for (const one of more) now.merge(one);
    effects.push(...more);
  };
  const readsItself = calculated.on.filter((one) => isOverHierarchy(field.id, one));
  const dependents = async (changed: ReadonlySet<number>): Promise<Ids> => {
    const found = new Set<number>();
    for (const one of readsItself) {
      const more = await affectedOver(run, now, one, changed);
      keep(more.effects);
      if (more.ids === 'all' || found.size + more.ids.size > mostLimited) return 'all';
      for (const id of more.ids) found.add(id);
    }
    return found;
  };
  const cycles = await cyclesNow(run, known, step, calculated, ids);
  const blanked = await blank(run, calculated, cycles.entered);
  keep([{ changed: [[field.id, blanked]] }]);
  const differed = new Set(blanked);
  const above = await dependents(blanked);
  let level: Ids = above === 'all' ? 'all' : new Set([...ids, ...cycles.left, ...above]);
  while (level !== 'all') {
    const next = new Set([...level].filter((id) => !cycles.on.has(id)));
    if (next.size === 0) return { differed, effects };
    const done = await recalculateStep(run, now, table, [calculated], next);
    keep(done.effects);
    if (done.differed === 'all') return { differed: 'all', effects };
    for (const id of done.differed) differed.add(id);
    level = await dependents(done.differed);
  }
  return wholeHierarchy(run, step, calculated);
}

/** Takes the value from records that have one; which they were. */
async function blank(
  { client, workspace }: Recalculation,
  { table, field }: CalculatedField,
  ids: readonly number[],
): Promise<ReadonlySet<number>> {
  if (ids.length === 0) return new Set();
  const column = identifier(field.key);
  const { rows } = await prepared(
    client,
    sql`
      update ${tableSql(workspace, table)} set ${column} = null
      where _id = any(${ids}) and ${column} is not null
      returning _id
    `,
    statementEpoch(workspace),
  );
  return new Set(rows.map((row) => row._id as number));
}

interface Cycles {
  readonly on: ReadonlySet<number>;
  readonly entered: readonly number[];
  readonly left: readonly number[];
}

/**
 * Which records are on a cycle now. A new one goes through a record whose links changed, and those are among the
 * records affected; an old one is known.
 */
async function cyclesNow(
  run: Recalculation,
  known: Known,
  step: CalculationStep,
  { table, field, on }: CalculatedField,
  ids: ReadonlySet<number>,
): Promise<Cycles> {
  const { client, workspace } = run;
  const { rows } = await prepared(
    client,
    sql`select record_id as id from loom.record_cycles where field_id = ${field.id}`,
    '',
  );
  const before = rows.map((row) => row.id as number);
  const paths = step.hierarchy ?? [];
  const links = new Set(paths.flat().map((id) => linkOf(workspace, id)));
  const relinked = on.some((one) => links.has(one.field) && known.has(one.field));
  if (!relinked) return { on: new Set(before), entered: [], left: [] };
  const edges = await prepared(
    client,
    sql`
      with recursive edges as not materialized (
        ${raw(paths.map((path) => edgesSql(workspace, table, path, 'upward')).join(' union all '))}
      ), reached(id) as (
        select unnest(${[...new Set([...before, ...ids])]}::bigint[])
        union
        select e.b from reached join edges e on e.a = reached.id
      )
      select e.a, e.b from reached join edges e on e.a = reached.id
    `,
    statementEpoch(workspace),
  );
  const now = recordsOnCycles(edges.rows.map((row): Edge => [row.a as number, row.b as number]));
  const were = new Set(before);
  const entered = [...now].filter((id) => !were.has(id));
  const left = before.filter((id) => !now.has(id));
  if (entered.length > 0) await keepCycles(run, table, field.id, entered);
  if (left.length > 0)
    await client.query(sql`
      delete from loom.record_cycles where field_id = ${field.id} and record_id = any(${left})
    `);
  return { on: now, entered, left };
}

const keepCycles = ({ client, workspace }: Recalculation, table: Table, field: FieldId, ids: readonly number[]) =>
  client.query(
    sql`
      insert into loom.record_cycles (workspace, table_id, field_id, record_id)
      select ${homeOf(workspace, table).id}, ${table.id}, ${field}, unnest(${ids}::bigint[])
      on conflict do nothing
    `,
  );

/** The link a step goes along, in either direction. */
function linkOf(workspace: WorkspaceState, step: FieldId): FieldId {
  const { type } = fieldOf(workspace.model, step).field;
  return type.kind === 'counterpart' ? type.link : step;
}

/**
 * Pairs of a record `a` and one `b` that it is calculated from over the path. `upward` turns a single counterpart
 * round: cycles are the same either way, and from a record to the one it links to is the shorter way to look for them.
 */
export function edgesSql(
  workspace: WorkspaceState,
  table: Table,
  path: readonly FieldId[],
  way: 'as it is' | 'upward',
): string {
  const { model } = workspace;
  const [first] = path;
  const single = path.length === 1 && first !== undefined ? fieldOf(model, first).field : null;
  const link = single && fieldOf(model, linkOf(workspace, single.id)).field;
  if (single && link) {
    const column = quoteIdentifier(link.key);
    const turned = single.type.kind === 'counterpart' && way === 'as it is';
    return `
      select ${turned ? `${column} as a, _id as b` : `_id as a, ${column} as b`}
      from ${tableName(workspace, table)}
      where ${column} is not null
    `;
  }
  let from = `${tableName(workspace, table)} s0`;
  let end = 's0._id';
  path.forEach((id, index) => {
    const { field } = fieldOf(model, id);
    const alias = `s${index + 1}`;
    if (field.type.kind === 'counterpart') {
      const { field: back, table: linking } = fieldOf(model, field.type.link);
      from += `
        join ${tableName(workspace, linking)} ${alias} on ${alias}.${quoteIdentifier(back.key)} = ${end}
      `;
    } else
      from += `
        join ${tableName(workspace, tableOf(model, typeAs(field, 'link').to))} ${alias} on ${alias}._id = s${index}.${quoteIdentifier(field.key)}
      `;
    end = `${alias}._id`;
  });
  return `select s0._id as a, ${end} as b from ${from}`;
}

/**
 * The whole table from nothing: first the records that come from no other, then those whose others are done, and so on
 * (A. B. Kahn, “Topological sorting of large networks”, 1962). What is left lies on cycles or comes from one: the
 * former have no value, and the latter go on from that.
 */
async function wholeHierarchy(
  run: Recalculation,
  step: CalculationStep,
  calculated: CalculatedField,
): Promise<StepDone> {
  requireAlone(run);
  const { client, workspace } = run;
  const { table, field } = calculated;
  const name = tableName(workspace, table);
  const edges = (step.hierarchy ?? []).map((path) => edgesSql(workspace, table, path, 'as it is')).join(' union all ');
  await client.query(sql`
    drop table if exists pg_temp.loom_edges, pg_temp.loom_waiting, pg_temp.loom_level;
    create temp table loom_edges on commit drop as select distinct a, b
    from (${raw(edges)}) e;
    create index on loom_edges (b);
    create temp table loom_waiting on commit drop as select a as id, count(*) as waits
    from loom_edges
    group by a;
    alter table loom_waiting add primary key (id);
    create temp table loom_level on commit drop as select _id as id
    from ${raw(name)}
    where not exists (select from loom_waiting w where w.id = _id);
    analyze loom_edges;
    analyze loom_waiting;
    analyze loom_level
  `);
  let differed = await levels(run, calculated);
  const { rows } = await client.query<{ a: number; b: number }>(
    `
      select a, b
      from loom_edges
      join loom_waiting v on v.id = a and v.waits > 0
      join loom_waiting w on w.id = b and w.waits > 0
    `,
  );
  const on = [...recordsOnCycles(rows.map(({ a, b }): Edge => [a, b]))];
  await client.query(sql`delete from loom.record_cycles where field_id = ${field.id}`);
  if (on.length > 0) {
    const key = quoteIdentifier(field.key);
    const blanked = await client.query(
      sql`update ${raw(name)} set ${raw(key)} = null where _id = any(${on}) and ${raw(key)} is not null`,
    );
    await keepCycles(run, table, field.id, on);
    await client.query(sql`insert into loom_level select unnest(${on}::bigint[])`);
    await client.query('delete from loom_waiting w using loom_level l where w.id = l.id');
    await nextLevel(run);
    differed = (await levels(run, calculated)) || differed || (blanked.rowCount ?? 0) > 0;
  }
  await client.query('drop table loom_edges, loom_waiting, loom_level');
  return differed
    ? { differed: 'all', effects: [{ changed: [[field.id, 'all']] }] }
    : { differed: new Set(), effects: [] };
}

/** Works out `loom_level` and every level that is free after it. True when any value differed. */
async function levels(run: Recalculation, calculated: CalculatedField): Promise<boolean> {
  let differed = false;
  for (let level = 0; ; level++) {
    const { rows } = await run.client.query<{ size: number }>('select count(*) as size from loom_level');
    const size = rows[0]?.size ?? 0;
    if (size === 0) return differed;
    await run.reportProgress?.('calculation', level, level + 1);
    const limit = sql`r._id in (select id from loom_level)`;
    const aggregates = size > grouped ? 'grouped' : 'each';
    const done = await run.client.query(
      stepStatement(run.workspace, calculated.table, [calculated], limit, aggregates),
    );
    differed ||= (done.rowCount ?? 0) > 0;
    await nextLevel(run);
  }
}

/** Puts in place of a finished level those records that waited for nothing else. */
const nextLevel = ({ client }: Recalculation) =>
  client.query(`
    create temp table loom_next on commit drop as with freed as (
      select e.a as id, count(*) as n from loom_level d join loom_edges e on e.b = d.id group by e.a
    ),
      less as (select w.id, w.waits - f.n as waits from freed f join loom_waiting w using (id))
    select id, waits
    from less;
    update loom_waiting w
    set waits = n.waits
    from loom_next n
    where w.id = n.id;
    truncate loom_level;
    insert into loom_level
    select id
    from loom_next
    where waits = 0;
    drop table loom_next;
    analyze loom_level
  `);
