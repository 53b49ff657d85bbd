import { fieldKinds } from '$core/fieldTypes/registry';
import { compileFormulas, noViewer } from '$core/formula/compiler';
import { printFormula } from '$core/formula/printer';
import { fieldOf, isEntered, isShown, isStored, ownTables, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../access/workspaceState';
import type { Pool } from '../database/pool';
import type { Left } from './acceptedFindings';
import type { Finding } from './finding';
import { asideSeen } from '../query/asideSeen';
import { titleSql } from '../query/selection';
import { identifier, raw, sql } from '../base/sql';

const mostShown = 20;
/** A field nobody fills says something only once there are so many records. */
const leastRecords = 20;
/** So many different texts are compared with what other tables are called by. */
const mostCompared = 5000;
const leastCompared = 5;
/** A column is likely meant as a link when so many of its different texts are found in one table. */
const likelyShare = 0.7;

type Found = Omit<Finding, 'table'>;
type LeftBy = (finding: string) => Left;

/** A finding that stands or is accepted as a whole: it is about a field, and not about records one by one. */
const whole = (left: LeftBy, one: Omit<Found, 'byRecord'>): Found[] =>
  left(one.id).whole ? [] : [{ ...one, byRecord: false }];

/**
 * What is wrong with what stands in a table, beside what it calculates: each with its count, the records, and what
 * fixes it.
 */
export async function dataFindings(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  left: LeftBy,
): Promise<Finding[]> {
  const found = await Promise.all([
    blanks(pool, access, table, left),
    brokenRules(pool, access, table, left),
    sameTitles(pool, access, table, left),
    setAsideValues(pool, access, table, left),
    unusedOptions(pool, access, table, left),
    linksByText(pool, access, table, left),
  ]);
  return found.flat().map((one) => ({ ...one, table: table.key }));
}

/** The first records a condition holds of. */
async function firstRecords(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  where: string,
  joins = '',
): Promise<Finding['records']> {
  const { rows } = await pool.query<{ id: number; title: string }>(
    sql`
      select r._id as id, ${raw(titleSql(access, table, 'r'))} as title
      from ${tableSql(access.workspace, table)} r ${raw(joins)}
      where ${raw(where)}
      order by r._id limit ${mostShown}
    `,
  );
  return rows;
}

/**
 * A finding about the records of which a condition holds, without those that were accepted; none where that leaves
 * none.
 */
async function aboutRecords(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  left: Left,
  { filter, ...one }: Pick<Found, 'id' | 'kind' | 'field' | 'label' | 'words' | 'part'> & { readonly filter: string },
  condition: string,
  joins = '',
): Promise<Found[]> {
  if (left.whole) return [];
  const where = `${condition}${left.where}`;
  const { rows } = await pool.query<{ n: number }>(
    sql`select count(*) as n from ${tableSql(access.workspace, table)} r ${raw(joins)} where ${raw(where)}`,
  );
  const count = Number(rows[0]?.n ?? 0);
  if (count === 0) return [];
  const records = await firstRecords(pool, access, table, where, joins);
  return [{ ...one, byRecord: true, count, filter: left.filter(filter), records, acceptedRecords: left.records }];
}

/** Fields that are required and blank, as the rule holds from when it was made; and fields that nobody fills. */
async function blanks(pool: Pool, access: WorkspaceAccess, table: Table, left: LeftBy): Promise<Found[]> {
  const fields = table.fields.filter((field) => isEntered(field) && isStored(field) && isShown(field));
  if (fields.length === 0) return [];
  const counts = fields.map((field, index) => `count(${quoteIdentifier(field.key)}) as n${index}`).join(', ');
  const { rows } = await pool.query<Record<string, number>>(
    sql`select count(*) as n, ${raw(counts)} from ${tableSql(access.workspace, table)} q`,
  );
  const records = Number(rows[0]?.n ?? 0);
  const found: Found[] = [];
  for (const [index, field] of fields.entries()) {
    const blank = records - Number(rows[0]?.[`n${index}`] ?? 0);
    if (field.required && blank > 0)
      found.push(
        ...(await aboutRecords(
          pool,
          access,
          table,
          left(`required blank:${field.id}`),
          {
            id: `required blank:${field.id}`,
            kind: 'required blank',
            field: field.key,
            label: field.label,
            words: 'it is required, and is blank on records from before that rule',
            part: null,
            filter: `${field.key} is null`,
          },
          `r.${quoteIdentifier(field.key)} is null`,
        )),
      );
    else if (blank === records && records >= leastRecords)
      found.push(
        ...whole(left, {
          id: `unused field:${field.id}`,
          kind: 'unused field',
          field: field.key,
          label: field.label,
          words: 'is blank on every record: hide it, or put it on a form',
          part: null,
          count: records,
          filter: null,
          records: [],
        }),
      );
  }
  return found;
}

/** Rules that hold from when they were made, and the records from before that break them. */
async function brokenRules(pool: Pool, access: WorkspaceAccess, table: Table, left: LeftBy): Promise<Found[]> {
  const { workspace } = access;
  const found: Found[] = [];
  for (const rule of table.rules ?? []) {
    if (rule.kind !== 'holds') continue;
    const { day, zone } = homeOf(workspace, table);
    const context = {
      model: workspace.model,
      nameOf: (other: Table) => tableName(workspace, other),
      today: `'${day}'::date`,
      zone,
      viewer: noViewer,
      root: 'r',
      aggregates: 'each',
    } as const;
    const { values, joins } = compileFormulas([rule.condition], context);
    const where = `not coalesce(${values[0] ?? 'true'}, true)`;
    const printed = printFormula(workspace.model, rule.condition);
    const id = `broken rule:${rule.id}`;
    const words = 'does not hold of records from before the rule';
    const about = {
      id,
      kind: 'broken rule',
      field: '',
      label: rule.message,
      words,
      part: printed,
      filter: `not (${printed})`,
    } as const;
    found.push(...(await aboutRecords(pool, access, table, left(id), about, where, joins)));
  }
  return found;
}

/** Records that are called the same. */
async function sameTitles(pool: Pool, access: WorkspaceAccess, table: Table, left: LeftBy): Promise<Found[]> {
  const title = table.title === null ? null : fieldOf(access.workspace.model, table.title).field;
  // Days and options are shared by many records without anything being wrong.
  if (!title || !isStored(title) || title.unique || valueTypeOf(title).is !== 'text' || title.type.kind === 'formula')
    return [];
  const column = `r.${quoteIdentifier(title.key)}`;
  const id = `same title:${title.id}`;
  const about = left(id);
  if (about.whole) return [];
  const { rows } = await pool.query<{ text: string; n: number }>(
    sql`
      select min(${raw(column)}) as text, count(*) as n
      from ${tableSql(access.workspace, table)} r
      -- Of which somebody said that they are not the same.
      left join (
        select lower(btrim(${raw(column)})) as name, count(*) as pairs
        from loom.never_same s
        join ${tableSql(access.workspace, table)} r on r._id = s.one
        join ${tableSql(access.workspace, table)} o on o._id = s.other
        where s.table_id = ${table.id} and lower(btrim(${raw(column)})) = lower(btrim(o.${identifier(title.key)}))
        group by 1
      ) apart on apart.name = lower(btrim(${raw(column)}))
      where ${raw(column)} is not null${raw(about.where)}
      group by lower(btrim(${raw(column)}))
      having count(*) > 1 and count(*) * (count(*) - 1) / 2 > coalesce(max(apart.pairs), 0)
      order by 2 desc, 1 limit 200
    `,
  );
  if (rows.length === 0) return [];
  const texts = rows.slice(0, mostShown).map(({ text }) => quoteText(text.trim().toLowerCase()));
  const count = rows.reduce((sum, { n }) => sum + Number(n), 0);
  return [
    {
      id,
      byRecord: true,
      kind: 'same title',
      field: title.key,
      label: title.label,
      words: `names several records alike: ${rows.length === 200 ? 'over 200' : rows.length} ${rows.length === 1 ? 'name' : 'names'}`,
      part: null,
      count,
      filter: about.filter(`lower(trim(${title.key})) in (${texts.join(', ')})`),
      records: await firstRecords(
        pool,
        access,
        table,
        `lower(btrim(${column})) in (${texts.join(', ')})${about.where}`,
      ),
      acceptedRecords: about.records,
    },
  ];
}

async function setAsideValues(pool: Pool, access: WorkspaceAccess, table: Table, left: LeftBy): Promise<Found[]> {
  const { rows } = await pool.query<{ field: string; n: number }>(
    sql`
      select field_id as field, count(*) as n
      from loom.open_set_aside
      where workspace = ${access.workspace.id} and table_id = ${table.id} and ${asideSeen(access)}
      group by 1
    `,
  );
  return rows.flatMap(({ field: id, n }) => {
    const field = table.fields.find((one) => one.id === id);
    if (!field) return [];
    const { key, label } = field;
    const words = 'has values that did not fit and wait to be fixed';
    return whole(left, {
      id: `set aside:${id}`,
      kind: 'set aside',
      field: key,
      label,
      words,
      part: null,
      count: Number(n),
      filter: null,
      records: [],
    });
  });
}

/** Options that no record has. */
async function unusedOptions(pool: Pool, access: WorkspaceAccess, table: Table, left: LeftBy): Promise<Found[]> {
  const found: Found[] = [];
  for (const field of table.fields) {
    const { type } = field;
    if ((type.kind !== 'option' && type.kind !== 'options') || !isShown(field)) continue;
    const column = quoteIdentifier(field.key);
    const value = type.kind === 'options' ? `unnest(${column})` : column;
    const { rows } = await pool.query<{ id: string | null; n: number }>(
      sql`select ${raw(value)} as id, count(*) as n from ${tableSql(access.workspace, table)} q group by 1`,
    );
    const records = rows.reduce((sum, { n }) => sum + Number(n), 0);
    const used = new Set(rows.map(({ id }) => id));
    const unused = type.options.filter(({ id, retired }) => !retired && !used.has(id));
    if (records < leastRecords || unused.length === 0 || used.size <= 1) continue;
    const labels = unused.map(({ label }) => label);
    found.push(
      ...whole(left, {
        id: `unused option:${field.id}`,
        kind: 'unused option',
        field: field.key,
        label: field.label,
        words: `offers what no record has: ${labels.slice(0, 6).join(', ')}${labels.length > 6 ? ' …' : ''}`,
        part: null,
        count: unused.length,
        filter: null,
        records: [],
      }),
    );
  }
  return found;
}

/** Text columns that name records of another table: links that are yet to be made, with the texts that would miss. */
async function linksByText(pool: Pool, access: WorkspaceAccess, table: Table, left: LeftBy): Promise<Found[]> {
  const { workspace } = access;
  const found: Found[] = [];
  const targets = ownTables(workspace.model).flatMap((target): [Table, Field][] => {
    const known = target.fields.filter(
      (field) =>
        isStored(field) && fieldKinds[field.type.kind].oneLine === true && (field.unique || field.id === target.title),
    );
    return known.map((field) => [target, field]);
  });
  for (const field of table.fields) {
    const id = `link by text:${field.id}`;
    if (field.type.kind !== 'text' || !isShown(field) || field.unique || field.id === table.title || left(id).whole)
      continue;
    const column = quoteIdentifier(field.key);
    const { rows } = await pool.query<{ text: string; n: number }>(
      sql`
        select lower(btrim(${raw(column)})) as text, count(*) as n
        from ${tableSql(workspace, table)} q
        where btrim(${raw(column)}) <> ''
        group by 1 limit ${mostCompared + 1}
      `,
    );
    if (rows.length < leastCompared || rows.length > mostCompared) continue;
    for (const [target, key] of targets) {
      if (target.id === table.id) continue;
      const hits = await pool.query<{ text: string }>(
        sql`
          select t.text
          from unnest(${rows.map(({ text }) => text)}::text[]) t(text)
          where exists (
            select
            from ${tableSql(workspace, target)} x
            where lower(btrim(x.${identifier(key.key)})) = t.text
          )
        `,
      );
      if (hits.rows.length < rows.length * likelyShare) continue;
      const known = new Set(hits.rows.map(({ text }) => text));
      const missing = rows.filter(({ text }) => !known.has(text));
      const count = missing.reduce((sum, { n }) => sum + Number(n), 0);
      const texts = missing.slice(0, mostShown).map(({ text }) => quoteText(text));
      found.push({
        id,
        byRecord: false,
        kind: 'link by text',
        field: field.key,
        label: field.label,
        words: `names records of ${target.label} by text: ${hits.rows.length.toLocaleString('en')} of ${rows.length.toLocaleString('en')} different texts are found there${count > 0 ? `, these records’ are not` : ''}`,
        part: null,
        count,
        filter: texts.length > 0 ? `lower(trim(${field.key})) in (${texts.join(', ')})` : null,
        records:
          texts.length > 0
            ? await firstRecords(pool, access, table, `lower(btrim(r.${column})) in (${texts.join(', ')})`)
            : [],
      });
      break;
    }
  }
  return found;
}
