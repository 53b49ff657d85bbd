import { and, eq } from 'drizzle-orm';
import { usersOf } from '$core/flow/graph';
import { compileFormulas } from '$core/formula/compiler';
import { applyChange, describeChange, type Change } from '$core/model/change';
import type { Duration, Effect } from '$core/model/effect';
import { fieldOf, findTable, shownType, tableOf, valueTypeOf, type Field, type Model, type Table } from '$core/model/model';
import { quoteIdentifier } from '$core/sql';
import { withWorkspace } from '../access/lock';
import { requireRole, tableName, type Seat } from '../access/seat';
import { plans } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { inTransaction } from '../database/transaction';
import { notHere, refuse } from '../refusal';
import { constraintRefusal } from './constraint';
import { conversionSql, textSql } from './conversion';
import { changesValues } from './ddl';
import { titleSql } from './read';
import { applyStructure } from './structure';

export interface PlanOut {
  readonly id: number;
  readonly effects: readonly Effect[];
  readonly possible: boolean;
}

/** Works out what changes would do, without writing anything to the workspace, and keeps the plan for its application. */
export async function makePlan(pool: Pool, seat: Seat, changes: readonly Change[]): Promise<PlanOut> {
  requireRole(seat.role, 'administrator');
  const { workspace, person } = seat;
  const effects = await inTransaction(pool, 'set transaction read only', (client) => effectsOf(client, seat, changes));
  const [made] = await catalogueOn(pool)
    .insert(plans)
    .values({ workspace: workspace.id, person: person.id, version: workspace.version, changes, effects })
    .returning({ id: plans.id });
  return { id: made?.id ?? 0, effects, possible: effects.every(({ breaks }) => breaks.length === 0) };
}

/** Applies a plan whole, to exactly the structure it was made for. */
export async function applyPlan(pool: Pool, seat: Seat, id: number): Promise<{ batch: number; model: Model }> {
  requireRole(seat.role, 'administrator');
  try {
    return await withWorkspace(pool, seat, 'whole', async (client, now) => {
      const db = catalogueOn(client);
      const [plan] = await db
        .select()
        .from(plans)
        .where(and(eq(plans.id, id), eq(plans.workspace, now.workspace.id)));
      if (!plan) throw notHere('plan');
      if (plan.appliedAs !== null) throw refuse(409, 'This plan was applied already.', 'Make a new plan to do it again.');
      if (plan.version !== now.workspace.version)
        throw refuse(409, 'The structure moved on since this plan was made.', 'Make the plan again: it takes one click and shows what is different.');
      const blocked = plan.effects.flatMap(({ breaks }) => breaks)[0];
      if (blocked) throw refuse(422, blocked.message, blocked.mend, blocked.at);
      const words = plan.effects.map(({ change }) => change);
      const title = words.length > 3 ? `${words.slice(0, 2).join('; ')} and ${words.length - 2} more` : words.join('; ');
      const batch = await applyStructure({ client, seat: now, whole: true }, plan.changes, { kind: 'plan', title: title.slice(0, 300) });
      await db.update(plans).set({ appliedAs: batch }).where(eq(plans.id, id));
      const after = plan.changes.reduce((model, change) => {
        const applied = applyChange(model, change);
        return applied.ok ? applied.value : model;
      }, now.workspace.model);
      return { batch, model: after };
    });
  } catch (error) {
    throw constraintRefusal(seat, error) ?? error;
  }
}

/** The effects of changes in order, each counted on what is stored now. */
export async function effectsOf(client: Client, seat: Seat, changes: readonly Change[]): Promise<Effect[]> {
  const effects: Effect[] = [];
  let model = seat.workspace.model;
  for (const [index, change] of changes.entries()) {
    const applied = applyChange(model, change);
    const known = applied.ok && change.do !== 'removeField' && change.do !== 'removeTable' ? applied.value : model;
    const effect: Effect = { change: describeChange(known, change), counts: [], samples: [], breaks: [], duration: 'instant' };
    if (!applied.ok) {
      effects.push({ ...effect, breaks: [{ ...applied.problem, at: `/changes/${index}` }] });
      continue;
    }
    effects.push({ ...effect, ...(await countedEffect(client, seat, model, applied.value, change)) });
    model = applied.value;
  }
  return effects;
}

type Counted = Partial<Omit<Effect, 'change'>>;

async function countedEffect(client: Client, seat: Seat, before: Model, after: Model, change: Change): Promise<Counted> {
  if (change.do === 'addTable') return { counts: [{ what: 'fields', count: change.table.fields.length }] };
  // Tables that the same plan makes hold nothing yet.
  const table = findTable(seat.workspace.model, change.table);
  if (!table) return {};
  const records = await count(client, `select count(*) as n from ${tableName(seat.workspace, table)}`);
  const duration: Duration = records > 200_000 ? 'long' : records > 5000 ? 'seconds' : 'instant';
  switch (change.do) {
    case 'removeTable':
      return { counts: [{ what: 'records kept in the bin', count: records }] };
    case 'removeField': {
      const { field } = fieldOf(before, change.field);
      if (!table.fields.some(({ id }) => id === field.id)) return {};
      return { counts: [{ what: 'values kept in the bin', count: await filled(client, seat, table, field) }] };
    }
    case 'addField':
      return addedField(client, seat, after, table, change.field, records, duration);
    case 'changeField': {
      const [old, now] = [fieldOf(before, change.field).field, fieldOf(after, change.field).field];
      const stored = table.fields.find(({ id }) => id === old.id);
      if (!stored) return {};
      return changedField(client, seat, after, table, { ...old, key: stored.key }, now, records, duration);
    }
    default:
      return {};
  }
}

const count = async (client: Client, statement: string): Promise<number> => (await client.query<{ n: number }>(statement)).rows[0]?.n ?? 0;

const filled = (client: Client, seat: Seat, table: Table, field: Field) =>
  count(client, `select count(${quoteIdentifier(field.key)}) as n from ${tableName(seat.workspace, table)}`);

async function addedField(client: Client, seat: Seat, after: Model, table: Table, field: Field, records: number, duration: Duration): Promise<Counted> {
  const link =
    field.type.kind === 'link'
      ? [{ what: `new field “${fieldOf(after, field.type.counterpart).field.label}” on ${tableOf(after, field.type.to).label}, the other side`, count: 1 }]
      : [];
  if (field.type.kind !== 'formula') {
    const breaks =
      field.required && records > 0
        ? [{ message: `${records} records would have “${field.label}” blank.`, mend: 'Add it first, fill it, then require it.' }]
        : [];
    return { counts: link, breaks };
  }
  const samples = await formulaSamples(client, seat, after, table, field, 5);
  return { counts: [{ what: 'records calculated', count: records }], samples, duration };
}

/** The first records of a table with what a formula gives for them; only over what is stored already. */
export async function formulaSamples(client: Client | Pool, seat: Seat, model: Model, table: Table, field: Field, most: number): Promise<Effect['samples']> {
  if (field.type.kind !== 'formula') return [];
  const { joins, values } = compileFormulas([field.type.formula], {
    model,
    nameOf: (other) => tableName(seat.workspace, other),
    today: `'${seat.workspace.day}'::date`,
    root: 'r',
    aggregates: 'each',
  });
  const shown = textSql(values[0] ?? 'null', shownType(model, field));
  try {
    const { rows } = await client.query<{ record: string; after: string | null }>(
      `select ${titleSql(seat, table, 'r')} as record, ${shown} as after from (select * from ${tableName(seat.workspace, table)} order by _id limit ${most}) r ${joins} order by r._id`,
    );
    return rows.map(({ record, after }) => ({ record, before: '', after: after ?? '' }));
  } catch {
    // The formula uses a field that the same plan makes: there is nothing to show before it stands.
    return [];
  }
}

async function changedField(
  client: Client,
  seat: Seat,
  after: Model,
  table: Table,
  old: Field,
  now: Field,
  records: number,
  duration: Duration,
): Promise<Counted> {
  const name = tableName(seat.workspace, table);
  const column = quoteIdentifier(old.key);
  const counts: { what: string; count: number }[] = [];
  const breaks: { message: string; mend?: string }[] = [];
  const users = usersOf(after, now.id).length;
  if (old.key !== now.key && users > 0) counts.push({ what: 'formulas follow the new key', count: users });
  if (old.type.kind === 'formula') {
    if (JSON.stringify(old.type) === JSON.stringify(now.type)) return { counts, breaks };
    counts.push({ what: 'records calculated', count: records });
    return { counts, breaks, duration, samples: await formulaSamples(client, seat, after, table, now, 5) };
  }
  if (now.required && !old.required) {
    const blank = await count(client, `select count(*) as n from ${name} where ${column} is null`);
    if (blank > 0) breaks.push({ message: `${blank} of ${records} records have “${now.label}” blank.`, mend: 'Fill them first.' });
  }
  if (now.unique && !old.unique) {
    const { rows } = await client.query<{ v: string; n: number }>(
      `select ${column}::text as v, count(*) as n from ${name} where ${column} is not null group by 1 having count(*) > 1 order by 2 desc limit 5`,
    );
    if (rows.length > 0)
      breaks.push({ message: `Values stand more than once: ${rows.map(({ v, n }) => `${v} (${n} times)`).join(', ')}.`, mend: 'Mend them first.' });
  }
  if (!changesValues(old, now) || valueTypeOf(now).is === 'records') return { counts, breaks };
  const converted = conversionSql(column, old.type, now.type);
  const { rows } = await client.query<{ fits: number; misfits: number }>(
    `select count(c) as fits, count(o) - count(c) as misfits from (select ${column} as o, ${converted} as c from ${name} offset 0) x`,
  );
  const { rows: samples } = await client.query<{ record: string; before: string; after: string | null }>(
    `select ${titleSql(seat, table, 'r')} as record, ${textSql(`r.${column}`, old.type)} as before, (select ${textSql('c', now.type)} from (select ${conversionSql(`r.${column}`, old.type, now.type)} as c) y) as after
     from ${name} r where r.${column} is not null and (${conversionSql(`r.${column}`, old.type, now.type)}) is null limit 5`,
  );
  const { fits = 0, misfits = 0 } = rows[0] ?? {};
  counts.push({ what: 'values converted', count: fits }, { what: 'values set aside', count: misfits });
  if (now.required && misfits > 0)
    breaks.push({ message: `${misfits} values do not fit, and “${now.label}” must be filled.`, mend: 'Correct them first, or let the field be blank.' });
  return { counts, breaks, duration, samples: samples.map(({ record, before, after: fits_as }) => ({ record, before, after: fits_as ?? 'set aside' })) };
}
