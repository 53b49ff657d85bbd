import { isOverHierarchy } from '$core/flow/hierarchy';
import type { CalculatedField, CalculationStep } from '$core/flow/graph';
import { recordsOnCycles, type Edge } from '$core/flow/recordCycles';
import type { FieldId } from '$core/model/identity';
import { fieldOf, tableOf, typeAs } from '$core/model/model';
import type { Table } from '$core/types/model';
import { quoteIdentifier } from '$core/sql';
import { NeedsWhole } from '../access/lock';
import { homeOf, tableName, type WorkspaceState } from '../access/seat';
import { statementEpoch, prepared } from '../sql/statement';
import { affectedOver } from './affected';
import { recalculateStep, stepStatement } from './calculationStep';
import { mostLimited, ReachesMany, type Ids, type Recalculation } from './changedValues';

/** From so many records on, a level's aggregates are gathered over the whole table at once. */
const grouped = 20_000;

/**
 * Works out a field that reads itself over a hierarchy, level by level. Records on a cycle have no value; they are kept
 * in `loom.record_cycles`, where Health finds them and the next edit knows them.
 */
export async function recalculateHierarchy(run: Recalculation, step: CalculationStep, ids: Ids): Promise<Ids> {
  const [calculated] = step.fields;
  if (!calculated) return new Set();
  return ids === 'all' ? wholeHierarchy(run, step, calculated) : alongHierarchy(run, step, calculated, ids);
}

/** From a few records on to all that come from them, for as long as values differ. */
async function alongHierarchy(
  run: Recalculation,
  step: CalculationStep,
  calculated: CalculatedField,
  ids: ReadonlySet<number>,
): Promise<Ids> {
  const { table, field } = calculated;
  const self = calculated.on.filter((one) => isOverHierarchy(field.id, one));
  const cycles = await cyclesNow(run, step, calculated, ids);
  const differed = new Set<number>();
  let next = new Set([...ids, ...cycles.left]);
  if (cycles.entered.length > 0) {
    const key = quoteIdentifier(field.key);
    const { rows } = await prepared(
      run.client,
      `update ${tableName(run.workspace, table)} set ${key} = null where _id = any($1) and ${key} is not null returning _id`,
      [cycles.entered],
      statementEpoch(run.workspace),
    );
    const blanked = new Set(rows.map((row) => row._id as number));
    run.changed.add(field.id, blanked);
    for (const id of blanked) differed.add(id);
    for (const one of self) {
      const more = await affectedOver(run, one, blanked);
      if (more === 'all') return wholeHierarchy(run, step, calculated);
      for (const id of more) next.add(id);
    }
  }
  for (;;) {
    for (const id of cycles.on) next.delete(id);
    if (next.size === 0) return differed;
    const changed = await recalculateStep(run, table, [calculated], next);
    if (changed === 'all') return 'all';
    next = new Set();
    for (const id of changed) differed.add(id);
    for (const one of self) {
      const more = await affectedOver(run, one, changed);
      if (more === 'all' || next.size + more.size > mostLimited) return wholeHierarchy(run, step, calculated);
      for (const id of more) next.add(id);
    }
  }
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
  step: CalculationStep,
  { table, field, on }: CalculatedField,
  ids: ReadonlySet<number>,
): Promise<Cycles> {
  const { client, workspace } = run;
  const { rows } = await prepared(
    client,
    'select record_id as id from loom.record_cycles where field_id = $1',
    [field.id],
    '',
  );
  const known = rows.map((row) => row.id as number);
  const paths = step.hierarchy ?? [];
  const links = new Set(paths.flat().map((id) => linkOf(workspace, id)));
  const relinked = on.some((one) => links.has(one.field) && run.changed.has(one.field));
  if (!relinked) return { on: new Set(known), entered: [], left: [] };
  const edges = await prepared(
    client,
    `with recursive edges as not materialized (${paths.map((path) => edgesSql(workspace, table, path, 'upward')).join(' union all ')}),
       reached(id) as (select unnest($1::bigint[]) union select e.b from reached join edges e on e.a = reached.id)
     select e.a, e.b from reached join edges e on e.a = reached.id`,
    [[...new Set([...known, ...ids])]],
    statementEpoch(workspace),
  );
  const now = recordsOnCycles(edges.rows.map((row): Edge => [row.a as number, row.b as number]));
  const before = new Set(known);
  const entered = [...now].filter((id) => !before.has(id));
  const left = known.filter((id) => !now.has(id));
  if (entered.length > 0) await keepCycles(run, table, field.id, entered);
  if (left.length > 0)
    await client.query('delete from loom.record_cycles where field_id = $1 and record_id = any($2)', [field.id, left]);
  return { on: now, entered, left };
}

const keepCycles = ({ client, workspace }: Recalculation, table: Table, field: FieldId, ids: readonly number[]) =>
  client.query(
    'insert into loom.record_cycles (workspace, table_id, field_id, record_id) select $1, $2, $3, unnest($4::bigint[]) on conflict do nothing',
    [homeOf(workspace, table).id, table.id, field, ids],
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
    return `select ${turned ? `${column} as a, _id as b` : `_id as a, ${column} as b`} from ${tableName(workspace, table)} where ${column} is not null`;
  }
  let from = `${tableName(workspace, table)} s0`;
  let end = 's0._id';
  path.forEach((id, index) => {
    const { field } = fieldOf(model, id);
    const alias = `s${index + 1}`;
    if (field.type.kind === 'counterpart') {
      const { field: back, table: linking } = fieldOf(model, field.type.link);
      from += ` join ${tableName(workspace, linking)} ${alias} on ${alias}.${quoteIdentifier(back.key)} = ${end}`;
    } else
      from += ` join ${tableName(workspace, tableOf(model, typeAs(field, 'link').to))} ${alias} on ${alias}._id = s${index}.${quoteIdentifier(field.key)}`;
    end = `${alias}._id`;
  });
  return `select s0._id as a, ${end} as b from ${from}`;
}

/**
 * The whole table from nothing: first the records that come from no other, then those whose others are done, and so on
 * (A. B. Kahn, “Topological sorting of large networks”, 1962). What is left lies on cycles or comes from one: the
 * former have no value, and the latter go on from that.
 */
async function wholeHierarchy(run: Recalculation, step: CalculationStep, calculated: CalculatedField): Promise<Ids> {
  if (run.ask) throw new ReachesMany();
  if (!run.whole) throw new NeedsWhole();
  const { client, workspace } = run;
  const { table, field } = calculated;
  const name = tableName(workspace, table);
  const edges = (step.hierarchy ?? []).map((path) => edgesSql(workspace, table, path, 'as it is')).join(' union all ');
  await client.query(`drop table if exists pg_temp.loom_edges, pg_temp.loom_waiting, pg_temp.loom_level;
    create temp table loom_edges on commit drop as select distinct a, b from (${edges}) e;
    create index on loom_edges (b);
    create temp table loom_waiting on commit drop as select a as id, count(*) as waits from loom_edges group by a;
    alter table loom_waiting add primary key (id);
    create temp table loom_level on commit drop as select _id as id from ${name} where not exists (select from loom_waiting w where w.id = _id);
    analyze loom_edges; analyze loom_waiting; analyze loom_level`);
  let differed = await levels(run, calculated);
  const { rows } = await client.query<{ a: number; b: number }>(
    'select a, b from loom_edges join loom_waiting v on v.id = a and v.waits > 0 join loom_waiting w on w.id = b and w.waits > 0',
  );
  const on = [...recordsOnCycles(rows.map(({ a, b }): Edge => [a, b]))];
  await client.query('delete from loom.record_cycles where field_id = $1', [field.id]);
  if (on.length > 0) {
    const key = quoteIdentifier(field.key);
    const blanked = await client.query(`update ${name} set ${key} = null where _id = any($1) and ${key} is not null`, [
      on,
    ]);
    await keepCycles(run, table, field.id, on);
    await client.query('insert into loom_level select unnest($1::bigint[])', [on]);
    await client.query('delete from loom_waiting w using loom_level l where w.id = l.id');
    await nextLevel(run);
    differed = (await levels(run, calculated)) || differed || (blanked.rowCount ?? 0) > 0;
  }
  await client.query('drop table loom_edges, loom_waiting, loom_level');
  if (!differed) return new Set();
  run.changed.add(field.id, 'all');
  return 'all';
}

/** Works out `loom_level` and every level that is free after it. True when any value differed. */
async function levels(run: Recalculation, calculated: CalculatedField): Promise<boolean> {
  let differed = false;
  for (let level = 0; ; level++) {
    const { rows } = await run.client.query<{ size: number }>('select count(*) as size from loom_level');
    const size = rows[0]?.size ?? 0;
    if (size === 0) return differed;
    await run.tell?.('calculation', level, level + 1);
    const limit = '_id in (select id from loom_level)';
    const done = await run.client.query(
      stepStatement(run.workspace, calculated.table, [calculated], limit, size > grouped ? 'grouped' : 'each'),
    );
    differed ||= (done.rowCount ?? 0) > 0;
    await nextLevel(run);
  }
}

/** Puts in place of a finished level those records that waited for nothing else. */
const nextLevel = ({ client }: Recalculation) =>
  client.query(`create temp table loom_next on commit drop as
      with freed as (select e.a as id, count(*) as n from loom_level d join loom_edges e on e.b = d.id group by e.a),
        less as (select w.id, w.waits - f.n as waits from freed f join loom_waiting w using (id))
      select id, waits from less;
    update loom_waiting w set waits = n.waits from loom_next n where w.id = n.id;
    truncate loom_level;
    insert into loom_level select id from loom_next where waits = 0;
    drop table loom_next;
    analyze loom_level`);
