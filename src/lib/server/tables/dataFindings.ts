import { compileFormulas } from '$core/formula/compiler';
import { printFormula } from '$core/formula/printer';
import { fieldOf, isEntered, isShown, isStored, ownTables, valueTypeOf, type Field, type Table } from '$core/model/model';
import { quoteIdentifier, quoteText } from '$core/sql';
import { homeOf, tableName, type Seat } from '../access/seat';
import type { Pool } from '../database/pool';
import type { Finding } from './findings';
import { titleSql } from './selection';

const mostShown = 20;
/** A field nobody fills says something only once there are so many records. */
const leastRecords = 20;
/** So many different texts are compared with what other tables are called by. */
const mostCompared = 5000;
const leastCompared = 5;
/** A column is likely meant as a link when so many of its different texts are found in one table. */
const likelyShare = 0.7;

type Found = Omit<Finding, 'table'>;

/** What is wrong with what stands in a table, beside what it calculates: each with its count, the records, and what fixes it. */
export async function dataFindings(pool: Pool, seat: Seat, table: Table): Promise<Finding[]> {
  const found = await Promise.all([
    blanks(pool, seat, table),
    brokenRules(pool, seat, table),
    sameTitles(pool, seat, table),
    setAsideValues(pool, seat, table),
    unusedOptions(pool, seat, table),
    linksByText(pool, seat, table),
  ]);
  return found.flat().map((one) => ({ ...one, table: table.key }));
}

/** The first records a condition holds of. */
async function firstRecords(pool: Pool, seat: Seat, table: Table, where: string, joins = ''): Promise<Finding['records']> {
  const { rows } = await pool.query<{ id: number; title: string }>(
    `select r._id as id, ${titleSql(seat, table, 'r')} as title from ${tableName(seat.workspace, table)} r ${joins} where ${where} order by r._id limit ${mostShown}`,
  );
  return rows;
}

/** Fields that are required and blank, as the rule holds from when it was made; and fields that nobody fills. */
async function blanks(pool: Pool, seat: Seat, table: Table): Promise<Found[]> {
  const fields = table.fields.filter((field) => isEntered(field) && isStored(field) && isShown(field));
  if (fields.length === 0) return [];
  const counts = fields.map((field, index) => `count(${quoteIdentifier(field.key)}) as n${index}`).join(', ');
  const { rows } = await pool.query<Record<string, number>>(`select count(*) as n, ${counts} from ${tableName(seat.workspace, table)}`);
  const records = Number(rows[0]?.n ?? 0);
  const found: Found[] = [];
  for (const [index, field] of fields.entries()) {
    const blank = records - Number(rows[0]?.[`n${index}`] ?? 0);
    if (field.required && blank > 0)
      found.push({
        kind: 'required blank',
        field: field.key,
        label: field.label,
        words: 'it is required, and is blank on records from before that rule',
        part: null,
        count: blank,
        filter: `${field.key} is null`,
        records: await firstRecords(pool, seat, table, `r.${quoteIdentifier(field.key)} is null`),
      });
    else if (blank === records && records >= leastRecords)
      found.push({
        kind: 'unused field',
        field: field.key,
        label: field.label,
        words: 'is filled on no record: switch it off, or put it on a form',
        part: null,
        count: records,
        filter: null,
        records: [],
      });
  }
  return found;
}

/** Rules that hold from when they were made, and the records from before that break them. */
async function brokenRules(pool: Pool, seat: Seat, table: Table): Promise<Found[]> {
  const { workspace } = seat;
  const found: Found[] = [];
  for (const rule of table.rules ?? []) {
    if (rule.kind !== 'holds') continue;
    const { day, zone } = homeOf(workspace, table);
    const context = {
      model: workspace.model,
      nameOf: (other: Table) => tableName(workspace, other),
      today: `'${day}'::date`,
      zone,
      root: 'r',
      aggregates: 'each',
    } as const;
    const { values, joins } = compileFormulas([rule.condition], context);
    const where = `not coalesce(${values[0] ?? 'true'}, true)`;
    const { rows } = await pool.query<{ n: number }>(`select count(*) as n from ${tableName(workspace, table)} r ${joins} where ${where}`);
    const count = Number(rows[0]?.n ?? 0);
    if (count === 0) continue;
    found.push({
      kind: 'broken rule',
      field: '',
      label: rule.message,
      words: 'does not hold of records from before the rule',
      part: printFormula(workspace.model, rule.condition),
      count,
      filter: `not (${printFormula(workspace.model, rule.condition)})`,
      records: await firstRecords(pool, seat, table, where, joins),
    });
  }
  return found;
}

/** Records that are called the same. */
async function sameTitles(pool: Pool, seat: Seat, table: Table): Promise<Found[]> {
  const title = table.title === null ? null : fieldOf(seat.workspace.model, table.title).field;
  // Days and options are shared by many records without anything being wrong.
  if (!title || !isStored(title) || title.unique || valueTypeOf(title).is !== 'text' || title.type.kind === 'formula') return [];
  const column = `r.${quoteIdentifier(title.key)}`;
  const { rows } = await pool.query<{ text: string; n: number }>(
    `select min(${column}) as text, count(*) as n from ${tableName(seat.workspace, table)} r where ${column} is not null group by lower(btrim(${column})) having count(*) > 1 order by 2 desc, 1 limit 200`,
  );
  if (rows.length === 0) return [];
  const texts = rows.slice(0, mostShown).map(({ text }) => quoteText(text.trim().toLowerCase()));
  const count = rows.reduce((sum, { n }) => sum + Number(n), 0);
  return [
    {
      kind: 'same title',
      field: title.key,
      label: title.label,
      words: `names several records alike: ${rows.length === 200 ? 'over 200' : rows.length} ${rows.length === 1 ? 'name' : 'names'}`,
      part: null,
      count,
      filter: `lower(trim(${title.key})) in (${texts.join(', ')})`,
      records: await firstRecords(pool, seat, table, `lower(btrim(${column})) in (${texts.join(', ')})`),
    },
  ];
}

async function setAsideValues(pool: Pool, seat: Seat, table: Table): Promise<Found[]> {
  const { rows } = await pool.query<{ field: string; n: number }>(
    'select field_id as field, count(*) as n from loom.open_set_aside where workspace = $1 and table_id = $2 group by 1',
    [seat.workspace.id, table.id],
  );
  return rows.flatMap(({ field: id, n }) => {
    const field = table.fields.find((one) => one.id === id);
    return field
      ? [
          {
            kind: 'set aside' as const,
            field: field.key,
            label: field.label,
            words: 'has values that did not fit and wait for repair',
            part: null,
            count: Number(n),
            filter: null,
            records: [],
          },
        ]
      : [];
  });
}

/** Options that no record has. */
async function unusedOptions(pool: Pool, seat: Seat, table: Table): Promise<Found[]> {
  const found: Found[] = [];
  for (const field of table.fields) {
    const { type } = field;
    if ((type.kind !== 'option' && type.kind !== 'options') || !isShown(field)) continue;
    const column = quoteIdentifier(field.key);
    const value = type.kind === 'options' ? `unnest(${column})` : column;
    const { rows } = await pool.query<{ id: string | null; n: number }>(
      `select ${value} as id, count(*) as n from ${tableName(seat.workspace, table)} group by 1`,
    );
    const records = rows.reduce((sum, { n }) => sum + Number(n), 0);
    const used = new Set(rows.map(({ id }) => id));
    const unused = type.options.filter(({ id, retired }) => !retired && !used.has(id));
    if (records < leastRecords || unused.length === 0 || used.size <= 1) continue;
    found.push({
      kind: 'unused option',
      field: field.key,
      label: field.label,
      words: `offers what no record has: ${unused
        .slice(0, 6)
        .map(({ label }) => label)
        .join(', ')}${unused.length > 6 ? ' …' : ''}`,
      part: null,
      count: unused.length,
      filter: null,
      records: [],
    });
  }
  return found;
}

/** Text columns that name records of another table: links that are yet to be made, with the texts that would miss. */
async function linksByText(pool: Pool, seat: Seat, table: Table): Promise<Found[]> {
  const { workspace } = seat;
  const found: Found[] = [];
  const targets = ownTables(workspace.model).flatMap((target): [Table, Field][] => {
    const known = target.fields.filter(
      (field) => isStored(field) && ['text', 'runningNumber'].includes(field.type.kind) && (field.unique || field.id === target.title),
    );
    return known.map((field) => [target, field]);
  });
  for (const field of table.fields) {
    if (field.type.kind !== 'text' || !isShown(field) || field.unique || field.id === table.title) continue;
    const column = quoteIdentifier(field.key);
    const { rows } = await pool.query<{ text: string; n: number }>(
      `select lower(btrim(${column})) as text, count(*) as n from ${tableName(workspace, table)} where btrim(${column}) <> '' group by 1 limit ${mostCompared + 1}`,
    );
    if (rows.length < leastCompared || rows.length > mostCompared) continue;
    for (const [target, key] of targets) {
      if (target.id === table.id) continue;
      const hits = await pool.query<{ text: string }>(
        `select t.text from unnest($1::text[]) t(text) where exists (select from ${tableName(workspace, target)} x where lower(btrim(x.${quoteIdentifier(key.key)})) = t.text)`,
        [rows.map(({ text }) => text)],
      );
      if (hits.rows.length < rows.length * likelyShare) continue;
      const known = new Set(hits.rows.map(({ text }) => text));
      const missing = rows.filter(({ text }) => !known.has(text));
      const count = missing.reduce((sum, { n }) => sum + Number(n), 0);
      const texts = missing.slice(0, mostShown).map(({ text }) => quoteText(text));
      found.push({
        kind: 'link by text',
        field: field.key,
        label: field.label,
        words: `names records of ${target.label} by text: ${hits.rows.length.toLocaleString('en')} of ${rows.length.toLocaleString('en')} different texts are found there${count > 0 ? `, these records’ are not` : ''}`,
        part: null,
        count,
        filter: texts.length > 0 ? `lower(trim(${field.key})) in (${texts.join(', ')})` : null,
        records: texts.length > 0 ? await firstRecords(pool, seat, table, `lower(btrim(r.${column})) in (${texts.join(', ')})`) : [],
      });
      break;
    }
  }
  return found;
}
