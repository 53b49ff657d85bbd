import { counted } from '$core/counted';
import { goesTo } from '$core/flow/impact';
import { hierarchyPaths } from '$core/flow/hierarchy';
import { compileFormulas } from '$core/formula/compiler';
import { applyChange } from '$core/model/change';
import type { AddField, AddRule, Change, ChangeField, CopyValues } from '$core/types/change';
import { describeChange } from '$core/model/change';
import type { Duration, Effect } from '$core/model/effect';
import { fieldOf, findField, findTable, linkedTable, tableOf } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/model/shownType';
import { quoteIdentifier } from '$core/sql';
import type { EnteredType } from '$core/values/value';
import { carriedBy } from '../access/carried';
import { homeOf, tableName, type Seat } from '../access/seat';
import type { Client, Pool } from '../database/pool';
import { conversionSql, textSql } from '../sql/conversion';
import { changesValues } from './ddl';
import { estimatedRecords } from '../query/estimate';
import { nearMissesOf } from './nearMisses';
import { titleSql } from '../query/selection';
import { brokenBy } from '../records/rules';

type Counted = Partial<Omit<Effect, 'change'>>;

/** What the counting of one change works with. */
interface Counting {
  readonly client: Client;
  readonly seat: Seat;
  readonly before: Model;
  readonly after: Model;
  /** The table as it is stored now; tables that the same plan makes hold nothing yet. */
  readonly table: Table;
}

/** The effects of changes in order, each counted on what is stored now. */
export async function effectsOf(client: Client, seat: Seat, changes: readonly Change[]): Promise<Effect[]> {
  const effects: Effect[] = [];
  let model = seat.workspace.model;
  for (const [index, change] of changes.entries()) {
    const applied = applyChange(model, change);
    const known = applied.ok && change.do !== 'removeField' && change.do !== 'removeTable' ? applied.value : model;
    const effect: Effect = {
      change: describeChange(known, change, model),
      counts: [],
      samples: [],
      dependents: [],
      carries: applied.ok ? carriedBy(applied.value, change) : [],
      breaks: [],
      ways: [],
      broken: null,
      nearMisses: [],
      duration: 'instant',
    };
    if (!applied.ok) {
      effects.push({
        ...effect,
        breaks: [
          {
            ...applied.problem,
            at: `/changes/${index}${typeof applied.problem.at === 'string' ? applied.problem.at : ''}`,
          },
        ],
      });
      continue;
    }
    const table = change.do === 'addTable' ? undefined : findTable(seat.workspace.model, change.table);
    const found = table
      ? await countedEffect({ client, seat, before: model, after: applied.value, table }, change)
      : {};
    effects.push({
      ...effect,
      ...(change.do === 'addTable' ? { counts: [{ what: 'fields', count: change.table.fields.length }] } : {}),
      ...found,
    });
    model = applied.value;
  }
  return effects;
}

async function countedEffect(counting: Counting, change: Change): Promise<Counted> {
  const { client, seat, table, before } = counting;
  switch (change.do) {
    case 'removeTable':
      return {
        counts: [
          {
            what: 'records kept in the bin',
            count: await countOf(client, `select count(*) as n from ${tableName(seat.workspace, table)}`),
          },
        ],
      };
    case 'removeField': {
      const stored = table.fields.find(({ id }) => id === fieldOf(before, change.field).field.id);
      return stored ? { counts: [{ what: 'values kept in the bin', count: await filled(counting, stored) }] } : {};
    }
    case 'addField':
      return addedField(counting, change);
    case 'changeField':
      return changedField(counting, change);
    case 'addRule':
      return addedRule(counting, change);
    case 'copyValues':
      return copiedValues(counting, change);
    case 'addTable':
    case 'changeTable':
    case 'moveField':
    case 'removeRule':
    case 'addPart':
    case 'changePart':
    case 'removePart':
      return {};
  }
}

const countOf = async (client: Client, statement: string): Promise<number> =>
  (await client.query<{ n: number }>(statement)).rows[0]?.n ?? 0;

const filled = ({ client, seat, table }: Counting, field: Field) =>
  field.type.kind === 'counterpart'
    ? Promise.resolve(0)
    : countOf(client, `select count(${quoteIdentifier(field.key)}) as n from ${tableName(seat.workspace, table)}`);

/**
 * Looks at what may not be there yet, as the same plan makes it; then there is nothing to show, and the transaction
 * goes on.
 */
async function attempt<T>(client: Client, look: () => Promise<T>, otherwise: T): Promise<T> {
  await client.query('savepoint looked');
  try {
    return await look();
  } catch {
    await client.query('rollback to savepoint looked');
    return otherwise;
  } finally {
    await client.query('release savepoint looked');
  }
}

async function durationOf({ client, seat, table }: Counting): Promise<Duration> {
  const records = await estimatedRecords(client, tableName(seat.workspace, table));
  return records > 200_000 ? 'long' : records > 5000 ? 'seconds' : 'instant';
}

async function addedField(counting: Counting, { field }: AddField): Promise<Counted> {
  const { client, seat, after, table } = counting;
  const name = tableName(seat.workspace, table);
  if (field.type.kind === 'formula') {
    const count = await countOf(client, `select count(*) as n from ${name}`);
    return {
      counts: [{ what: 'records calculated', count }],
      samples: await attempt(client, () => formulaSamples(client, seat, after, table, field, 5), []),
      duration: await durationOf(counting),
    };
  }
  const other = field.type.kind === 'link' ? findField(after, field.type.counterpart) : undefined;
  const counts = other
    ? [{ what: `new field “${other.field.label}” on ${other.table.label}, the reverse link`, count: 1 }]
    : [];
  const numbered =
    field.type.kind === 'runningNumber'
      ? [{ what: 'records numbered', count: await countOf(client, `select count(*) as n from ${name}`) }]
      : [];
  if (field.required !== true) return { counts: [...counts, ...numbered] };
  const standing = await countOf(client, `select count(*) as n from (select from ${name} limit 1) x`);
  if (standing === 0 || field.type.kind === 'runningNumber') return { counts: [...counts, ...numbered] };
  const records = await countOf(client, `select count(*) as n from ${name}`);
  return {
    counts,
    breaks: [
      {
        message: `${counted(records, 'record')} would have “${field.label}” blank.`,
        fix: 'Let those be blank that stand already, or add it first, fill it, then require it.',
      },
    ],
    ways: ['fromNow'],
  };
}

/**
 * The first records of a table, or those named, with what a formula gives for them; only over what is stored already,
 * so not over a hierarchy.
 */
export async function formulaSamples(
  client: Client | Pool,
  seat: Seat,
  model: Model,
  table: Table,
  field: Field,
  most: number,
  ids?: readonly number[],
): Promise<Effect['samples']> {
  if (field.type.kind !== 'formula' || hierarchyPaths(model, field).length > 0) return [];
  const { day, zone } = homeOf(seat.workspace, table);
  const { joins, values } = compileFormulas([field.type.formula], {
    model,
    nameOf: (other) => tableName(seat.workspace, other),
    today: `'${day}'::date`,
    zone,
    root: 'r',
    aggregates: 'each',
  });
  const shown = textSql(values[0] ?? 'null', shownType(model, field), zone);
  const { rows } = await client.query<{ record: string; after: string | null }>(
    `select ${titleSql(seat, table, 'r')} as record, ${shown} as after from (select * from ${tableName(seat.workspace, table)} ${ids ? 'where _id = any($1)' : ''} order by _id limit ${most}) r ${joins} order by r._id`,
    ids ? [ids] : [],
  );
  return rows.map(({ record, after }) => ({ record, before: '', after: after ?? '' }));
}

async function changedField(counting: Counting, change: ChangeField): Promise<Counted> {
  const { client, seat, before, after, table } = counting;
  const old = fieldOf(before, change.field).field;
  const now = fieldOf(after, change.field).field;
  const stored = table.fields.find(({ id }) => id === old.id);
  if (!stored || stored.type.kind === 'counterpart') return {};
  const name = tableName(seat.workspace, table);
  const column = quoteIdentifier(stored.key);
  const dependents = old.key === now.key && !change.set.type ? [] : goesTo(after, now.id).map(({ words }) => words);
  if (now.type.kind === 'formula') {
    if (JSON.stringify(old.type) === JSON.stringify(now.type)) return { dependents };
    const samples = await attempt(client, () => formulaSamples(client, seat, after, table, now, 5), []);
    const entered =
      old.type.kind === 'formula' ? 0 : await countOf(client, `select count(${column}) as n from ${name}`);
    return {
      dependents,
      samples,
      counts: [
        { what: 'records calculated', count: await countOf(client, `select count(*) as n from ${name}`) },
        ...(entered > 0 ? [{ what: 'entered values put by, to come back with Undo', count: entered }] : []),
      ],
      duration: await durationOf(counting),
    };
  }
  const ruled = await ruleBroken(counting, change, stored, old, now);
  if (ruled) return { dependents, ...ruled };
  const works = changesValues(old, now) || Object.keys(change.merge ?? {}).length > 0;
  // A field that is calculated by this very plan has no values yet.
  if (!works || (stored.type.kind === 'formula' && old.type.kind !== 'formula')) return { dependents };
  return {
    dependents,
    ...(await converted(counting, change, column, shownType(before, old) as EnteredType, now.type as EnteredType, now)),
  };
}

/** Blanks or repeated values in the way of a new rule on one field; null when nothing is. */
async function ruleBroken(
  counting: Counting,
  change: ChangeField,
  stored: Field,
  old: Field,
  now: Field,
): Promise<Counted | null> {
  const { client, seat, table } = counting;
  const name = tableName(seat.workspace, table);
  const column = quoteIdentifier(stored.key);
  const firstOf = async (from: string) => {
    const { rows } = await client.query<{ id: number; title: string }>(
      `select r._id as id, ${titleSql(seat, table, 'r')} as title from ${from} order by r._id limit 100`,
    );
    return rows;
  };
  if (now.required === true && old.required !== true) {
    const blank = await countOf(client, `select count(*) as n from ${name} where ${column} is null`);
    if (blank > 0 && change.fill != null) return { counts: [{ what: 'blanks filled', count: blank }] };
    if (blank > 0)
      return {
        breaks: [
          {
            message: `${counted(blank, 'record has', 'records have')} “${now.label}” blank.`,
            fix: 'Fill them first, let them be until they are changed, or put a value into them.',
          },
        ],
        broken: { count: blank, records: await firstOf(`${name} r where r.${column} is null`) },
        ways: ['fromNow', 'fill'],
      };
  }
  if (now.unique && !old.unique) {
    const repeated = `(select ${column} as v, count(*) as n, min(_id) as first from ${name} where ${column} is not null group by 1 having count(*) > 1)`;
    const { rows } = await client.query<{ v: string | null; n: number; too_many: number }>(
      `select (${textSql('d.v', stored.type)}) as v, d.n, (sum(d.n - 1) over ())::bigint as too_many from ${repeated} d order by d.n desc limit 5`,
    );
    const count = rows[0]?.too_many ?? 0;
    if (count > 0 && change.breaking === 'setAside') return { counts: [{ what: 'repeated values set aside', count }] };
    if (count > 0)
      return {
        breaks: [
          {
            message: `Values stand more than once: ${rows.map(({ v, n }) => `${v ?? ''} (${n} times)`).join(', ')}.`,
            fix: 'Fix them first, or set all but the first of each aside.',
          },
        ],
        broken: {
          count,
          records: await firstOf(`${name} r join ${repeated} d on d.v = r.${column} where r._id <> d.first`),
        },
        ways: ['setAside'],
      };
  }
  return null;
}

/** How many values fit the new type, counted in one pass, with the first that do not. */
async function converted(
  counting: Counting,
  change: ChangeField,
  column: string,
  from: EnteredType,
  to: EnteredType,
  now: Field,
): Promise<Counted> {
  const { client, seat, table } = counting;
  const { zone } = homeOf(seat.workspace, table);
  const name = tableName(seat.workspace, table);
  const reading = { decimal: '.', dateOrder: 'ymd', ...change.reading, zone } as const;
  const { rows } = await client.query<{ fits: number; misfits: number }>(
    `select count(c) as fits, count(o) - count(c) as misfits from (select ${column} as o, ${conversionSql(column, from, to, reading, change.merge)} as c from ${name}) x`,
  );
  const { fits = 0, misfits = 0 } = rows[0] ?? {};
  // Misfits are worth seeing most; without any, a few values show how they are read.
  const value = conversionSql(`r.${column}`, from, to, reading, change.merge);
  const { rows: samples } = await client.query<{ record: string; before: string; after: string | null }>(
    `select ${titleSql(seat, table, 'r')} as record, ${textSql(`r.${column}`, from, zone)} as before, (select ${textSql('c', to, zone)} from (select ${value} as c) y) as after
     from ${name} r where r.${column} is not null ${misfits > 0 ? `and (${value}) is null` : ''} limit 5`,
  );
  const breaks =
    now.required === true && misfits > 0
      ? [
          {
            message: `${counted(misfits, 'value does', 'values do')} not fit, and “${now.label}” is required.`,
            fix: 'Correct them first, or let the field be blank.',
          },
        ]
      : [];
  return {
    counts: [
      { what: 'values converted', count: fits },
      { what: 'values set aside', count: misfits },
    ],
    breaks,
    samples: samples.map(({ record, before, after: fitting }) => ({
      record,
      before: before ?? '',
      after: fitting ?? 'set aside',
    })),
    duration: await durationOf(counting),
  };
}

async function addedRule(counting: Counting, change: AddRule): Promise<Counted> {
  const { client, seat, after, table } = counting;
  const { rule } = change;
  const now: Seat = { ...seat, workspace: { ...seat.workspace, model: after } };
  const name = tableName(seat.workspace, table);
  if (rule.fromNow) return {};
  if (rule.kind === 'unique') {
    const columns = rule.fields.map((id) => quoteIdentifier(fieldOf(after, id).field.key));
    const repeated = `(select ${columns.join(', ')}, count(*) as n, min(_id) as first from ${name} where ${columns.map((one) => `${one} is not null`).join(' and ')} group by ${columns.join(', ')} having count(*) > 1)`;
    const count = await countOf(client, `select coalesce(sum(n - 1), 0)::bigint as n from ${repeated} d`);
    if (count === 0) return {};
    const { rows } = await client.query<{ id: number; title: string }>(
      `select r._id as id, ${titleSql(seat, table, 'r')} as title from ${name} r join ${repeated} d on ${columns.map((one) => `d.${one} = r.${one}`).join(' and ')} where r._id <> d.first order by 1 limit 100`,
    );
    return {
      breaks: [
        {
          message: `${counted(count, 'record repeats', 'records repeat')} what another has in these fields.`,
          fix: 'Fix them first.',
        },
      ],
      broken: { count, records: rows },
    };
  }
  const { where, joins } = brokenBy(now, table, rule);
  const count = await attempt(
    client,
    () => countOf(client, `select count(*) as n from ${name} r ${joins} where ${where}`),
    0,
  );
  if (count === 0) return {};
  if (change.breaking === 'setAside' && change.clear !== undefined)
    return { counts: [{ what: `values of “${fieldOf(after, change.clear).field.label}” set aside`, count }] };
  const { rows } = await client.query<{ id: number; title: string }>(
    `select r._id as id, ${titleSql(seat, table, 'r')} as title from ${name} r ${joins} where ${where} order by 1 limit 100`,
  );
  return {
    breaks: [
      {
        message: `${counted(count, 'record breaks', 'records break')} the rule “${rule.message}”.`,
        fix: 'Fix them first, set their values aside, or let them be until they are changed.',
      },
    ],
    broken: { count, records: rows },
    ways: ['setAside', 'fromNow'],
  };
}

/**
 * How many options that no record uses become records of the target as well: those that none of its records says yet.
 */
async function unusedOptions(
  { client, seat, table }: Counting,
  from: Field,
  target: Table | undefined,
  match: Field | undefined,
): Promise<number> {
  if ((from.type.kind !== 'option' && from.type.kind !== 'options') || !table.fields.some(({ id }) => id === from.id))
    return 0;
  const used = `select ${from.type.kind === 'options' ? `unnest(r.${quoteIdentifier(from.key)})` : `r.${quoteIdentifier(from.key)}`} from ${tableName(seat.workspace, table)} r`;
  const known = match && target?.fields.find(({ id }) => id === match.id);
  const said =
    known && target
      ? `select loom.trimmed(${textSql(`x.${quoteIdentifier(known.key)}`, shownType(seat.workspace.model, known))}) from ${tableName(seat.workspace, target)} x`
      : null;
  const { rows } = await client.query<{ n: number }>(
    `select count(*) as n from unnest($1::text[], $2::text[]) o(id, label) where o.id not in (select u from (${used}) s(u) where u is not null)${said ? ` and o.label not in (select w from (${said}) s(w) where w is not null)` : ''}`,
    [from.type.options.map(({ id }) => id), from.type.options.map(({ label }) => label)],
  );
  return rows[0]?.n ?? 0;
}

/** How many texts find their record, and what may be meant by the others. */
async function copiedValues(counting: Counting, change: CopyValues): Promise<Counted> {
  const { after } = counting;
  const to = fieldOf(after, change.to).field;
  const target = linkedTable(after, to)?.table;
  const from = fieldOf(after, change.from).field;
  if (!target || change.match === undefined || from.type.kind === 'link')
    return { duration: await durationOf(counting) };
  const match = tableOf(after, target.id).fields.find(({ id }) => id === change.match);
  // A target that the same plan makes is empty: every text becomes one of its records.
  const standing = findTable(counting.seat.workspace.model, target.id);
  const { found, missed, words, nearMisses } = await nearMissesOf(
    counting.client,
    counting.seat,
    counting.table,
    from,
    standing ?? null,
    match ?? null,
    change.confirmed ?? {},
  );
  return {
    counts: [
      { what: `values that are a record of ${target.label}`, count: found },
      change.missing === 'create'
        ? {
            what: `new records of ${target.label}, for ${counted(missed, 'value')}`,
            count: words + (await unusedOptions(counting, from, standing, match)),
          }
        : { what: 'values set aside', count: missed },
    ],
    nearMisses,
    duration: await durationOf(counting),
  };
}
