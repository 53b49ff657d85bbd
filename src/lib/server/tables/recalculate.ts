import { dependsOnDay } from '$core/flow/dependencies';
import { calculationSteps, type CalculatedField, type CalculationStep } from '$core/flow/graph';
import { compileFormulas } from '$core/formula/compiler';
import type { FieldId, TableId } from '$core/model/identity';
import { fieldOf, tableOf, typeAs, type Field, type Model, type Table } from '$core/model/model';
import { quoteIdentifier } from '$core/sql';
import { NeedsWhole } from '../access/lock';
import { homeOf, tableName, type WorkspaceState } from '../access/seat';
import type { Client } from '../database/pool';
import { epochOf, prepared, withIds } from '../database/statement';
import type { Tell } from './work';

/** Beyond this many affected records a step works over the whole table, in a transaction that stands alone. */
export const mostLimited = 20_000;

type Ids = ReadonlySet<number> | 'all';

/**
 * What an edit changed, as it is found out step by step: for each field the records whose value changed, and for links
 * the targets those records have or had.
 */
export class ChangedValues {
  private readonly fields = new Map<FieldId, Set<number> | 'all'>();
  private readonly targets = new Map<FieldId, Map<number, Set<number>>>();
  private readonly made = new Map<TableId, readonly number[]>();

  add(field: FieldId, ids: Iterable<number> | 'all'): void {
    const known = this.fields.get(field);
    if (known === 'all') return;
    if (ids === 'all') this.fields.set(field, 'all');
    else {
      const set = known ?? new Set<number>();
      for (const id of ids) set.add(id);
      if (set.size > 0) this.fields.set(field, set.size > mostLimited ? 'all' : set);
    }
  }

  /** The record's link points, or pointed before the edit, at this target. */
  addTarget(link: FieldId, id: number, target: number | null): void {
    const ofLink = this.targets.get(link) ?? new Map<number, Set<number>>();
    this.targets.set(link, ofLink);
    const known = ofLink.get(id) ?? new Set<number>();
    if (target !== null) known.add(target);
    ofLink.set(id, known);
  }

  /** New records: every calculated field of theirs has yet to be worked out. */
  addMade(table: Table, ids: readonly number[]): void {
    if (ids.length === 0) return;
    this.made.set(table.id, [...(this.made.get(table.id) ?? []), ...ids]);
    for (const field of table.fields) this.add(field.id, ids);
  }

  madeIn = (table: Table): readonly number[] => this.made.get(table.id) ?? [];
  of = (field: FieldId): Ids => this.fields.get(field) ?? new Set<number>();
  has = (field: FieldId): boolean => this.fields.has(field);
  targetsOf = (link: FieldId, id: number): ReadonlySet<number> | undefined => this.targets.get(link)?.get(id);
  changedFields = (): readonly FieldId[] => [...this.fields.keys()];
}

export interface Recalculation {
  readonly client: Client;
  readonly workspace: WorkspaceState;
  /** Whether the transaction holds the workspace alone, so that no record needs a lock of its own. */
  readonly whole: boolean;
  readonly changed: ChangedValues;
  /** Calculated fields to work out for every record, whatever changed. */
  readonly anew?: ReadonlySet<FieldId>;
  readonly tell?: Tell | undefined;
}

/**
 * Brings everything that comes from the changed values up to date, step by step in the order of `calculationSteps`.
 * Each step is limited to the records that can be affected and writes only values that differ; those are what the next
 * step starts from. Returns the tables of which records were rewritten.
 */
export async function recalculate(run: Recalculation): Promise<Set<Table>> {
  const touched = new Set<Table>();
  const steps = calculationSteps(run.workspace.model);
  for (const [index, step] of steps.entries()) {
    const fields: CalculatedField[] = [];
    let ids: Ids = new Set<number>();
    for (const field of step.fields) {
      const affected = run.anew?.has(field.field.id) ? 'all' : await affectedRecords(run, field);
      if (affected !== 'all' && affected.size === 0) continue;
      fields.push(field);
      ids = ids === 'all' || affected === 'all' ? 'all' : new Set([...ids, ...affected]);
    }
    if (fields.length === 0) continue;
    if (ids !== 'all' && ids.size > mostLimited) ids = 'all';
    if (ids === 'all' && !run.whole) throw new NeedsWhole();
    await run.tell?.('calculation', index, steps.length);
    if (await recalculateStep(run, step, fields, ids)) touched.add(step.table);
  }
  return touched;
}

/** The records whose value of a calculated field may differ, given what changed. */
async function affectedRecords(run: Recalculation, { on, table }: CalculatedField): Promise<Ids> {
  const affected = new Set<number>(run.changed.madeIn(table));
  for (const { path, field } of on) {
    if (!run.changed.has(field)) continue;
    let ids: Ids = run.changed.of(field);
    for (const step of path.toReversed()) ids = await stepBack(run, step, ids);
    if (ids === 'all') return 'all';
    for (const id of ids) affected.add(id);
  }
  return affected;
}

/** From records at the end of a step to those at its beginning. Records that are passed are locked (see withWorkspace). */
async function stepBack(run: Recalculation, step: FieldId, ids: Ids): Promise<Ids> {
  if (ids === 'all' || ids.size === 0) return ids;
  const { model } = run.workspace;
  const { field, table } = fieldOf(model, step);
  if (field.type.kind === 'counterpart') {
    const link = field.type.link;
    const back = new Set<number>();
    const unknown = [...ids].filter((id) => {
      const known = run.changed.targetsOf(link, id);
      known?.forEach((target) => back.add(target));
      return known === undefined;
    });
    if (unknown.length > 0) {
      const from = fieldOf(model, link);
      const rows = await lockLinks(run, from.table, '_id', unknown);
      rows.forEach((row) => typeof row[from.field.key] === 'number' && back.add(row[from.field.key] as number));
    }
    return back.size > mostLimited ? 'all' : back;
  }
  const rows = await lockLinks(run, table, quoteIdentifier(field.key), [...ids]);
  return rows.length > mostLimited ? 'all' : new Set(rows.map((row) => row._id as number));
}

const linksOf = (table: Table): readonly Field[] => table.fields.filter(({ type }) => type.kind === 'link');

/** Reads and locks records with their links, and remembers where those lead. */
async function lockLinks(run: Recalculation, table: Table, column: string, ids: readonly number[]): Promise<Record<string, unknown>[]> {
  const links = linksOf(table);
  const columns = ['_id', ...links.map(({ key }) => quoteIdentifier(key))].join(', ');
  const lock = run.whole ? '' : ' order by _id for no key update';
  const { where, parameter } = withIds(column, ids);
  const { rows } = await prepared(
    run.client,
    `select ${columns} from ${tableName(run.workspace, table)} where ${where}${lock}`,
    [parameter],
    epochOf(run.workspace),
  );
  for (const row of rows) for (const link of links) run.changed.addTarget(link.id, row._id as number, row[link.key] as number | null);
  return rows;
}

/** One statement for all affected fields of a table at one depth. True when any value differed. */
async function recalculateStep(run: Recalculation, step: CalculationStep, fields: readonly CalculatedField[], ids: Ids): Promise<boolean> {
  const { client, workspace, changed } = run;
  const name = tableName(workspace, step.table);
  const limit = ids === 'all' ? null : withIds('_id', [...ids]);
  const limited = limit !== null;
  const parameters = limit ? [limit.parameter] : [];
  // Records that aggregate are locked in a statement of their own first: the one that aggregates then sees what the
  // holder of the lock committed. Without it, two people editing two children would each sum without the other.
  if (limit && !run.whole && fields.some(({ on }) => on.some(({ path }) => path.length > 0)))
    await prepared(client, `select 1 from ${name} where ${limit.where} order by _id for no key update`, parameters, epochOf(workspace));
  const { rowCount, rows } = await prepared(client, stepStatement(run.workspace, step.table, fields, limit && limit.where), parameters, epochOf(workspace));
  if (rowCount === 0) return false;
  const links = linksOf(step.table);
  // Rows come back only while they are few: a step over the whole table is followed by steps over whole tables.
  if (!limited) for (const { field } of fields) changed.add(field.id, 'all');
  for (const row of rows) {
    for (const link of links) changed.addTarget(link.id, row._id as number, row[link.key] as number | null);
  }
  if (limited)
    for (const { field } of fields)
      changed.add(
        field.id,
        rows.map((row) => row._id as number),
      );
  return true;
}

const statements = new WeakMap<Model, Map<string, string>>();

/** The statement that works out fields of one table, for the records of a condition on `_id` or all; kept for as long as the model is. */
function stepStatement(workspace: WorkspaceState, table: Table, fields: readonly CalculatedField[], limit: string | null): string {
  const kept = statements.get(workspace.model) ?? new Map<string, string>();
  statements.set(workspace.model, kept);
  const { day, zone } = homeOf(workspace, table);
  const dated = fields.some(({ field }) => dependsOnDay(typeAs(field, 'formula').formula));
  const limited = limit !== null;
  const key = [workspace.key, ...(workspace.beside ?? []), limit, dated ? day : '', ...fields.map(({ field }) => field.id)].join();
  const known = kept.get(key);
  if (known) return known;
  const name = tableName(workspace, table);
  const { values, joins } = compileFormulas(
    fields.map(({ field }) => typeAs(field, 'formula').formula),
    {
      model: workspace.model,
      nameOf: (other) => tableName(workspace, other),
      today: `'${day}'::date`,
      zone,
      root: 'r',
      aggregates: limited ? 'each' : 'grouped',
    },
  );
  const columns = fields.map(({ field }) => quoteIdentifier(field.key));
  const returned = limited
    ? ` returning t._id${linksOf(table)
        .map((link) => `, t.${quoteIdentifier(link.key)}`)
        .join('')}`
    : '';
  const statement =
    `update ${name} t set ${columns.map((column, index) => `${column} = c.v${index}`).join(', ')} ` +
    `from (select r._id, ${values.map((value, index) => `${value} as v${index}`).join(', ')} from ${name} r ${joins}${limited ? ` where r.${limit}` : ''}) c ` +
    `where t._id = c._id and (${columns.map((column, index) => `t.${column} is distinct from c.v${index}`).join(' or ')})${returned}`;
  kept.set(key, statement);
  return statement;
}

/** Links that some formula reads through, so that pointing them elsewhere must wait for whoever changes the target. */
export function isReadThrough(model: Model, link: FieldId): boolean {
  return calculationSteps(model).some(({ fields }) => fields.some(({ on }) => on.some(({ path }) => path.includes(link))));
}

/** Holds the new targets of links still until the edit is done, so that none changes unseen (see withWorkspace). */
export async function shareTargets(run: Recalculation, link: Field, targets: readonly number[]): Promise<void> {
  if (run.whole || targets.length === 0 || !isReadThrough(run.workspace.model, link.id)) return;
  const target = tableOf(run.workspace.model, typeAs(link, 'link').to);
  await prepared(run.client, `select 1 from ${tableName(run.workspace, target)} where _id = any($1) order by _id for share`, [targets], epochOf(run.workspace));
}
