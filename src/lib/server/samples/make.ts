import type { Faker } from '@faker-js/faker';
import { feedOf } from '$core/flow/feeds';
import { isEntered, isNumbered, isShown, isStored, isToMany, linkedTable, valueTypeOf } from '$core/model/model';
import { sampleValue, valueJson, type EnteredType } from '$core/fieldTypes/registry';
import { counted } from '$core/base/counted';
import type { Field, FieldKind } from '$core/types/field';
import type { Table } from '$core/types/model';
import { acting, requireRight, tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { refuse } from '../base/refusal';
import { identifier, sql } from '../base/sql';
import type { Pool } from '../database/pool';
import { problemsOf, writeRecords } from '../entry/write';
import { candidatesOf } from '../query/candidates';
import { factsOf, type FieldFacts } from '../query/facts';
import { madeUp, markSamples } from './keep';
import { madeEmail, madePhone, madeSentence, madeText } from './words';

/** So many are made by one call. */
export const mostSamples = 1_000;
/** What the table's rules refuse is made up anew so often. */
const mostTries = 8;
const atOnce = 250;

type Values = Record<string, unknown>;

/** What is known of a table before samples of it are made up. */
interface Ground {
  readonly faker: Faker;
  readonly table: Table;
  readonly facts: ReadonlyMap<string, FieldFacts>;
  /** Records that a link can lead to, by field. */
  readonly targets: ReadonlyMap<string, readonly number[]>;
  /** Values as text that must be different in each record, by field; records that a link of one to one leads to. */
  readonly used: ReadonlyMap<string, Set<string>>;
}

/**
 * Makes records up for a table: by the kinds of its fields, their labels and what stands in it; links with a few targets
 * that have many and many that have few; what must be unique is; what breaks a rule is made up again. The same `seed`
 * over the same records gives the same. Each is marked as a sample.
 */
export async function makeSamples(
  pool: Pool,
  access: WorkspaceAccess,
  name: string,
  count: number,
  seed: number,
): Promise<{ readonly made: number; readonly batches: readonly number[] }> {
  requireRight(access, 'write');
  const table = tableAt(access, name);
  if (feedOf(table))
    throw refuse(
      422,
      `The records of ${table.label} come from other tables.`,
      'Make samples of the tables that feed it.',
    );
  const { faker: shared } = await import('@faker-js/faker/locale/en');
  // One of one's own: what others make up meanwhile would move the numbers on.
  const faker = new (shared.constructor as typeof Faker)({ locale: shared.rawDefinitions });
  faker.seed(seed);
  faker.setDefaultRefDate(`${access.workspace.day}T12:00:00Z`);
  const ground = await groundOf(pool, access, table, faker);
  const batches: number[] = [];
  let made = 0;
  while (made < count) {
    const wanted = Math.min(atOnce, count - made);
    const rows = await fittingRows(pool, access, ground, wanted);
    const title = `${counted(rows.length, 'sample record')} of ${table.label}`;
    const edits = { insert: rows.map((values) => ({ values })), title };
    const written = await writeRecords(pool, access, table.key, edits, madeUp);
    await markSamples(
      pool,
      access,
      table.id,
      written.records.map(({ id }) => id),
    );
    batches.push(written.batch);
    made += rows.length;
  }
  return { made, batches };
}

async function groundOf(pool: Pool, access: WorkspaceAccess, table: Table, faker: Faker): Promise<Ground> {
  const facts = new Map<string, FieldFacts>();
  const targets = new Map<string, readonly number[]>();
  const used = new Map<string, Set<string>>();
  for (const field of fieldsOf(table)) {
    const to = linkedTable(access.workspace.model, field)?.table;
    if (to) {
      const { rows } = await pool.query<{ id: number }>(sql`
        select r._id as id from ${tableSql(access.workspace, to)} r order by r._id desc limit 2000
      `);
      if (rows.length === 0 && field.required)
        throw refuse(
          422,
          `“${field.label}” must be filled, and ${to.label} has no records.`,
          `Make samples of ${to.label} first.`,
        );
      targets.set(
        field.id,
        shuffled(
          faker,
          rows.map(({ id }) => Number(id)),
        ),
      );
    } else facts.set(field.id, await factsOf(pool, access, table, field));
    if (field.unique && isStored(field)) {
      const { rows } = await pool.query<{ value: string }>(sql`
        select ${identifier(field.key)}::text as value from ${tableSql(access.workspace, table)} r
        where ${identifier(field.key)} is not null limit 100000
      `);
      used.set(field.id, new Set(rows.map(({ value }) => value)));
    }
  }
  return { faker, table, facts, targets, used };
}

/** Fields that samples fill: pictures and files are taken from nowhere. */
const fieldsOf = (table: Table): Field[] =>
  table.fields.filter(
    (field) =>
      isEntered(field) &&
      !isNumbered(field) &&
      isShown(field) &&
      field.type.kind !== 'files' &&
      field.type.kind !== 'pictures',
  );

const shuffled = (faker: Faker, ids: readonly number[]): number[] => faker.helpers.shuffle([...ids]);

/** Rows that the table takes: those that it refuses are made up anew, a few times. */
async function fittingRows(pool: Pool, access: WorkspaceAccess, ground: Ground, count: number): Promise<Values[]> {
  const rows: Values[] = [];
  let problems: Awaited<ReturnType<typeof problemsOf>> = [];
  for (let at = 0; at < count; at++) rows.push(await rowOf(pool, access, ground));
  for (let tries = 0; tries < mostTries; tries++) {
    problems = await problemsOf(pool, access, ground.table.key, { insert: rows.map((values) => ({ values })) });
    if (problems.length === 0) return rows;
    for (const at of new Set(problems.map(({ record }) => record))) rows[at] = await rowOf(pool, access, ground);
  }
  throw refuse(
    422,
    `No samples could be made up that ${ground.table.label} takes: ${problems[0]?.message ?? ''}`,
    'Enter a few records first: samples follow what stands.',
  );
}

async function rowOf(pool: Pool, access: WorkspaceAccess, ground: Ground): Promise<Values> {
  const { faker, table } = ground;
  const values: Values = {};
  for (const field of fieldsOf(table)) {
    const isBlank =
      !field.required && !field.unique && field.id !== table.title && faker.number.float() < blankShare(ground, field);
    if (isBlank) continue;
    const value = linkedTable(access.workspace.model, field)
      ? await targetOf(pool, access, ground, field, values)
      : valueOf(ground, field);
    if (value !== null && value !== undefined) values[field.key] = value;
  }
  return inOrder(table, values, faker);
}

/** As often blank as the records that stand; otherwise a tenth. */
function blankShare({ facts }: Ground, field: Field): number {
  const known = facts.get(field.id);
  return known && known.records >= 5 ? 1 - known.filled / known.records : 0.1;
}

async function targetOf(
  pool: Pool,
  access: WorkspaceAccess,
  { faker, table, targets, used }: Ground,
  field: Field,
  draft: Values,
): Promise<unknown> {
  const taken = used.get(field.id);
  const isFree = (id: number): boolean => !taken?.has(String(id));
  const all = (targets.get(field.id) ?? []).filter(isFree);
  if (all.length === 0) return null;
  // The first are chosen more often than the last.
  const one = (ids: readonly number[]) => ids[Math.floor(faker.number.float() ** 2 * ids.length)] ?? ids[0];
  if (isToMany(field)) {
    const several = faker.number.int({ min: 1, max: Math.min(3, all.length) });
    return [...new Set(Array.from({ length: several }, () => one(all)))];
  }
  const isLimited = field.type.kind === 'link' && field.type.candidates !== undefined;
  const asked = { typed: '', limit: 50, record: null, draft };
  const offered = isLimited
    ? (await candidatesOf(pool, acting(access), table, field, asked)).map(({ id }) => id).filter(isFree)
    : all;
  const found = one(offered) ?? null;
  if (found !== null) taken?.add(String(found));
  return found;
}

/** A value of a field: like those that stand, where there are enough; else by its kind and label. */
function valueOf({ faker, facts, used, table }: Ground, field: Field): unknown {
  const known = facts.get(field.id);
  const taken = used.get(field.id);
  for (let tries = 0; tries < 50; tries++) {
    const like = known && known.filled >= 5 && !taken ? likeThose(faker, field, known) : undefined;
    const value = like ?? byKind(faker, field, table);
    if (!taken) return value;
    const text = String(value);
    const free = tries > 5 ? `${text} ${tries}` : text;
    if (taken.has(free)) continue;
    taken.add(free);
    return typeof value === 'string' ? free : value;
  }
  return null;
}

function likeThose(faker: Faker, field: Field, { least, greatest, frequent, filled, distinct }: FieldFacts): unknown {
  const { kind } = field.type;
  const few = distinct !== null && distinct <= 20 && frequent.length > 0 && distinct * 3 <= filled;
  if (few && kind === 'text')
    return faker.helpers.weightedArrayElement(frequent.map(({ value, count }) => ({ value, weight: count })));
  if (kind === 'option' && frequent.length > 0) {
    const labels = new Map(field.type.kind === 'option' ? field.type.options.map(({ id, label }) => [label, id]) : []);
    const offered = frequent.filter(({ value }) => labels.has(value));
    if (offered.length > 0)
      return faker.helpers.weightedArrayElement(
        offered.map(({ value, count }) => ({ value: labels.get(value) ?? value, weight: count })),
      );
  }
  const { is } = valueTypeOf(field);
  if (is === 'number' && least !== null && greatest !== null && Number(least) < Number(greatest)) {
    const digits = decimalsOf(least, greatest, ...frequent.map(({ value }) => value));
    return faker.number.float({ min: Number(least), max: Number(greatest), fractionDigits: digits });
  }
  if (is === 'date' && least !== null && greatest !== null && least < greatest)
    return dayOf(faker.date.between({ from: `${least}T00:00:00Z`, to: `${greatest}T23:59:59Z` }));
  return undefined;
}

const decimalsOf = (...texts: readonly string[]): number =>
  Math.max(0, ...texts.map((text) => text.split('.')[1]?.length ?? 0));

const dayOf = (date: Date): string => date.toISOString().slice(0, 10);

/** What is made up by more than the kind itself knows. */
const madeBy: { readonly [K in FieldKind]?: (faker: Faker, field: Field, table: Table) => string } = {
  text: (faker, { label }, table) => madeText(faker, label, table.label),
  longText: madeSentence,
  email: madeEmail,
  phone: madePhone,
  url: (faker) => `https://${faker.word.noun()}.example/${faker.word.adjective()}`,
  date: (faker, { label }) =>
    dayOf(/born|birth/i.test(label) ? faker.date.birthdate() : faker.date.recent({ days: 200 })),
  dateTime: (faker) =>
    faker.date
      .recent({ days: 200 })
      .toISOString()
      .replace(/\.\d+Z$/, 'Z'),
};

function byKind(faker: Faker, field: Field, table: Table): unknown {
  const { type } = field;
  const random = () => faker.number.float({ max: 0.999_999 });
  return madeBy[type.kind]?.(faker, field, table) ?? valueJson(type, sampleValue(random, type as EnteredType));
}

const begins = /\b(from|start|begins?|taken|joined|ordered|lent|received|made|opened|day|date)\b/i;
const ends = /\b(until|to|ends?|due|returned|back|finished|closed|done|delivered|valid)\b/i;

/** Days of one record in the order of what they say: none ends before it begins. */
function inOrder(table: Table, values: Values, faker: Faker): Values {
  const days = fieldsOf(table).filter(({ type }) => type.kind === 'date');
  const first = days.find(({ label, key }) => begins.test(label) && values[key] !== undefined);
  if (!first) return values;
  const start = Date.parse(`${String(values[first.key])}T00:00:00Z`);
  const moved = { ...values };
  for (const { key, label } of days)
    if (key !== first.key && ends.test(label) && moved[key] !== undefined)
      moved[key] = dayOf(new Date(start + faker.number.int({ min: 1, max: 30 }) * 86_400_000));
  return moved;
}
