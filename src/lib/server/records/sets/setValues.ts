import { quoteIdentifier, quoteText } from '$core/base/sql';
import { isStored, isWritten, tableOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import type { SetValues } from '$core/types/recordChange';
import { tableSql } from '../../access/workspaceState';
import { join, raw, sql, type Sql } from '../../base/sql';
import { moveApart } from './moveApart';
import { changedColumns } from '../../sql/column';
import { conditionOnOwn, isHeldByDatabase } from '../rules';
import { chosenSql, columnOf, copiesTable, countChosen, manyRecords, type SetWork } from './chosen';
import { effectsOfChanged } from './effects';
import { valuesJson } from './history';
import { lookAt } from './lookedAt';
import { bringFiles } from './files';
import { leftOut, type SetDone } from './outcome';
import { filledValues, quoted, type FilledValue } from './values';

const stage = raw('pg_temp._set_values');
const newName = (field: Field): string => `"_n_${field.id}"`;
const oldName = (field: Field): string => `"_o_${field.id}"`;
const textName = (field: Field): string => `"_t_${field.id}"`;

/**
 * Fills fields of records, set by set. A value that does not fit, or that a rule of the table refuses, is left out with
 * its record: what stood there stays.
 */
export async function setValues(work: SetWork, change: SetValues): Promise<SetDone> {
  const { client, access } = work;
  const { model } = access.workspace;
  const table = tableOf(model, change.table);
  const source = tableOf(model, change.source?.table ?? change.table);
  const many = change.source !== undefined || (await countChosen(client, access, table, change.chosen)) >= manyRecords;
  const { values, joins } = filledValues(work, table, source, change.set, many);
  const fields = values.map(({ field }) => field);
  const chosen = change.source ? null : chosenSql(access, table, change.chosen, many);
  const over = change.source
    ? sql`
        ${tableSql(access.workspace, source)} r
        join ${copiesTable(change.source.copies)} _c on _c._source = r._id and _c._refused is null
        join ${tableSql(access.workspace, table)} t on t._id = _c._target
        ${joins}
      `
    : sql`${tableSql(access.workspace, table)} r ${joins} ${raw(chosen?.joins ?? '')}`;
  const stored = change.source ? 't' : 'r';
  await client.query(sql`drop table if exists ${stage}`);
  await client.query(sql`
    create temp table _set_values on commit drop as
    select ${raw(`${stored}._id`)} as id, null::text as _refused, ${join(
      values.flatMap(({ field, value, text }) => [
        sql`${value} as ${raw(newName(field))}`,
        raw(`${columnOf(stored, field.key)} as ${oldName(field)}`),
        ...(text ? [sql`${text} as ${raw(textName(field))}`] : []),
      ]),
    )}
    from ${over}
    where ${chosen?.where ?? raw('true')}
  `);
  const all = await countOf(work, sql`true`);
  const differs = join(
    fields.map((field) => raw(`${newName(field)} is distinct from ${oldName(field)}`)),
    ' or ',
  );
  await client.query(sql`delete from ${stage} where not (${differs})`);
  await client.query(sql`analyze ${stage}`);
  const changing = await countOf(work, sql`true`);
  await refuseBroken(work, table, values);
  const outcome = await leftOut(work, table, stage, raw('id'));
  await client.query(sql`delete from ${stage} where _refused is not null`);
  const written = await countOf(work, sql`true`);
  const ids = sql`select id from ${stage}`;
  const before = await effectsOfChanged(work, table, fields, ids, written);
  const lookedAt = await lookAt(work, { table, fields: fields.map(({ id }) => id), changed: ids });
  for (const field of fields)
    await moveApart(work, table, field, sql`select id, ${raw(newName(field))} as now from ${stage}`);
  await write(work, table, fields);
  await bringFiles(work, table, values, stage, newName);
  const after = await effectsOfChanged(work, table, fields, ids, written);
  return {
    effects: [...before.effects, ...after.effects],
    anew: [],
    aside: [],
    counts: { chosen: all, written, same: all - changing, ...outcome },
    lookedAt,
  };
}

async function countOf({ client }: SetWork, where: Sql): Promise<number> {
  const { rows } = await client.query<{ n: number }>(sql`select count(*)::int as n from ${stage} where ${where}`);
  return rows[0]?.n ?? 0;
}

async function write(work: SetWork, table: Table, fields: readonly Field[]): Promise<void> {
  const { client, access, batch, step, fresh } = work;
  // A field that was made just now had nothing: filling it is no change of the record.
  const changed = fields.filter(({ id }) => !fresh?.has(id));
  const stamped =
    changed.length > 0
      ? [...changedColumns(table.fields, quoteIdentifier).map((one) => raw(one)), raw('_version = t._version + 1')]
      : [];
  const set = [...fields.map((field) => raw(`${quoted(field)} = s.${newName(field)}`)), ...stamped];
  await client.query(
    sql`update ${tableSql(access.workspace, table)} t set ${join(set)} from ${stage} s where t._id = s.id`,
  );
  if (changed.length === 0) return;
  await client.query(sql`
    insert into loom.history (batch, table_id, first_id, last_id, kind, step, before, after)
    select ${batch}, ${table.id}, s.id, s.id, 'changed', ${step}, ${onlyDiffering(changed, oldName)}, ${onlyDiffering(changed, newName)}
    from ${stage} s
  `);
}

/** The values of those fields that a record really changes. */
function onlyDiffering(fields: readonly Field[], named: (field: Field) => string): Sql {
  if (fields.length === 1) return valuesJson(fields, (field) => `s.${named(field)}`);
  return join(
    fields.map(
      (field) =>
        sql`case when ${raw(`s.${newName(field)} is distinct from s.${oldName(field)}`)} then ${valuesJson([field], (one) => `s.${named(one)}`)} else '{}'::jsonb end`,
    ),
    ' || ',
  );
}

const refuseWhere = (reason: string, where: Sql): Sql =>
  sql`update ${stage} s set _refused = ${raw(quoteText(reason))} where s._refused is null and ${where}`;

async function refuseBroken({ client, access }: SetWork, table: Table, values: readonly FilledValue[]): Promise<void> {
  for (const { field, text, reason } of values) {
    if (text)
      await client.query(refuseWhere(reason, raw(`s.${newName(field)} is null and s.${textName(field)} is not null`)));
    if (field.required)
      await client.query(refuseWhere(`“${field.label}” is required`, raw(`s.${newName(field)} is null`)));
  }
  await refuseClashes({ client, access } as SetWork, table, values);
  const { model } = access.workspace;
  const fields = values.map(({ field }) => field);
  const others = table.fields.filter((field) => isStored(field) && isWritten(field) && !fields.includes(field));
  for (const rule of table.rules ?? []) {
    if (rule.kind !== 'holds' || !isHeldByDatabase(model, rule)) continue;
    await client.query(sql`
      update ${stage} s set _refused = ${rule.message}
      from (
        select ${join([
          raw('n.id as _id'),
          ...fields.map((field) => raw(`n.${newName(field)} as ${quoted(field)}`)),
          ...others.map((field) => raw(columnOf('t', field.key))),
        ])}
        from ${stage} n
        join ${tableSql(access.workspace, table)} t on t._id = n.id
      ) k
      where s.id = k._id and s._refused is null and not (${raw(conditionOnOwn(model, rule.condition, 'k'))})
    `);
  }
}

/** So often it is looked whether what stays as it was, as its change was left out, meets what others change to. */
const mostRounds = 20;

/** Leaves out what would stand twice once all is written, where it may stand once. */
async function refuseClashes({ client, access }: SetWork, table: Table, values: readonly FilledValue[]): Promise<void> {
  const name = tableSql(access.workspace, table);
  for (const fields of uniqueSets(table, values)) {
    const now = (field: Field): Sql =>
      values.some((one) => one.field === field)
        ? sql`case when s.id is not null and s._refused is null then ${raw(`s.${newName(field)}`)} else ${raw(columnOf('t', field.key))} end`
        : raw(columnOf('t', field.key));
    const keys = fields.map((_, at) => raw(`k${at}`));
    for (let round = 0, refused = 1; refused > 0 && round < mostRounds; round++) {
      const { rowCount } = await client.query(sql`
        with now as (
          select t._id as id, s.id is not null and s._refused is null as changes,
            ${join(fields.map((field, at) => sql`${now(field)} as ${raw(`k${at}`)}`))}
          from ${name} t left join ${stage} s on s.id = t._id
        ), ranked as (
          select id, changes, row_number() over (partition by ${join(keys)} order by changes, id) as n
          from now
          where ${join(
            keys.map((key) => sql`${key} is not null`),
            ' and ',
          )}
        )
        update ${stage} s
        set _refused = ${`another record has the same ${fields.map(({ label }) => `“${label}”`).join(' and ')}`}
        from ranked r
        where r.id = s.id and r.changes and r.n > 1
      `);
      refused = rowCount ?? 0;
    }
  }
}

/** The fields, or sets of them, that are written and may stand once. */
const uniqueSets = (table: Table, values: readonly FilledValue[]): Field[][] => {
  const isSet = (field: Field) => values.some((one) => one.field === field);
  return [
    ...values.flatMap(({ field }) => (field.unique ? [[field]] : [])),
    ...(table.rules ?? []).flatMap((rule) =>
      rule.kind === 'unique' ? [table.fields.filter(({ id }) => rule.fields.includes(id))] : [],
    ),
  ].filter((fields) => fields.some(isSet));
};
