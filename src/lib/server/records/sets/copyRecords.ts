import { printFormula } from '$core/formula/printer';
import type { ReceiptSum } from '$core/transfer/receipt';
import { quoteText } from '$core/base/sql';
import { fieldOf, isStored, isSystem, isWritten, tableOf, valueTypeOf } from '$core/model/model';
import type { FieldId } from '$core/types/identity';
import type { Field } from '$core/types/field';
import type { Expression } from '$core/types/expression';
import type { Model, Table } from '$core/types/model';
import type { CopyRecords } from '$core/types/recordChange';
import { tableName, tableSql } from '../../access/workspaceState';
import { identifier, join, raw, sql, type Sql } from '../../base/sql';
import type { Effects } from '../../calculation/effects';
import { columnType } from '../../sql/column';
import { defaultsOf } from '../insertRecords';
import type { SetAsideRow } from '../keepAside';
import { conditionOnOwn, isHeldByDatabase } from '../rules';
import { chosenSql, columnOf, compiledOver, copiesTable, countChosen, manyRecords, type SetWork } from './chosen';
import { effectsOfMade, keepEstimates } from './effects';
import { runsSql } from './history';
import { lookAt, type LookedAt } from './lookedAt';
import { leftOut, mostMisfits, type SetDone } from './outcome';
import { bringFiles } from './files';
import { filledValues, missingTargets, quoted, type FilledValue } from './values';

/**
 * Makes records of a table from those of another. They are worked out in a table of their own first, where those that
 * the rules of the target refuse are told apart, each with its reason; the rest is written at once.
 */
export async function copyRecords(work: SetWork, change: CopyRecords): Promise<SetDone> {
  const { client, access } = work;
  const { model } = access.workspace;
  const [table, source] = [tableOf(model, change.table), tableOf(model, change.from)];
  const many = (await countChosen(client, access, source, change.chosen)) >= manyRecords;
  const chosen = chosenSql(access, source, change.chosen, many);
  const made = await makeMissing(work, change, source, many);
  const filled = filledValues(work, table, source, change.values, many);
  const later = laterLinks(change);
  const copies = copiesTable(change.copies);
  const stage = change.by ? copiesTable(`${change.copies}_by`) : copies;
  const misfits = filled.values.filter(({ text }) => text !== null);
  const presets = defaultsOf(
    access.workspace,
    table,
    filled.values.map(({ field }) => field),
  );
  const set = new Set([...filled.values.map(({ field }) => field.id), ...presets.fields.map(({ id }) => id)]);
  // What nobody fills is blank, so that rules can be asked of a whole record. The system fills its own.
  const blank = table.fields.filter((field) => isStored(field) && isWritten(field) && !set.has(field.id));
  const by = compiledOver(access, source, change.by ?? [], many, 'by');
  const keys = by.values.map((_, at) => raw(`"_b${at}"`));
  const each = sql`
    select r._id as _source${listed(
      filled.values.map(({ field, value }) =>
        later.has(field.id) ? sql`null::bigint as ${raw(quoted(field))}` : sql`${value} as ${raw(quoted(field))}`,
      ),
    )}${listed(misfits.map((one) => sql`case when ${one.value} is null then ${one.text} end as ${raw(textName(one.field))}`))}${listed(
      by.values.map((value, at) => sql`${raw(value)} as ${keys[at]}`),
    )}
    from ${tableSql(access.workspace, source)} r ${filled.joins} ${raw(chosen.joins)} ${raw(by.joins)}
    where ${chosen.where}
  `;
  await client.query(sql`
    create temp table ${raw(`"_copies_${change.copies}${change.by ? '_by' : ''}"`)} on commit drop as
    select r._source, row_number() over (order by r._source) + b.last as _target, null::text as _refused${listed([
      ...misfits.map(({ field }) => raw(`r.${textName(field)}`)),
      ...keys.map((key) => sql`r.${key}`),
      ...filled.values.map(({ field }) => raw(`r.${quoted(field)}`)),
      ...presets.fields.map((field, at) => sql`${presets.values[at]} as ${raw(quoted(field))}`),
      ...blank.map((field) => raw(`null::${columnType(field)} as ${quoted(field)}`)),
    ])}
    from (
      select e.*${listed([...presets.blanks])}
      from (${change.by ? groupedBy(each, keys, filled.values) : each}) e
    ) r ${raw(presets.joins)}
    cross join (${lastNumber(tableName(access.workspace, table))}) b
    order by r._source
  `);
  await client.query(sql`create unique index on ${stage} (_source); analyze ${stage}`);
  await refuseBroken(work, table, stage, later);
  await goOn(work, table, stage);
  if (change.by)
    await shareOut(
      work,
      change,
      sql`select r._id as _source${listed(by.values.map((value, at) => sql`${raw(value)} as ${keys[at]}`))} from ${tableSql(access.workspace, source)} r ${raw(chosen.joins)} ${raw(by.joins)} where ${chosen.where}`,
      keys,
    );
  await fillLater(work, change, stage, later);
  const columns = [...filled.values.map(({ field }) => field), ...presets.fields];
  const ids = sql`select _target as id from ${stage} where _refused is null`;
  const lookedAt = await lookAt(work, { table, fields: filled.values.map(({ field }) => field.id), made: ids });
  await client.query('set constraints all deferred');
  const { rowCount } = await client.query(sql`
    insert into ${tableSql(access.workspace, table)} (_id${listed(columns.map((field) => raw(quoted(field))))})
    select _target${listed(columns.map((field) => raw(quoted(field))))}
    from ${stage}
    where _refused is null
    order by _target
  `);
  await client.query(sql`
    insert into loom.history (batch, table_id, first_id, last_id, kind, step)
    select ${work.batch}, ${table.id}, first, last, 'made', ${work.step}
    from (${runsSql(ids)}) u
  `);
  await keepEstimates(work, table, rowCount ?? 0);
  await bringFiles(work, table, filled.values, stage);
  if (change.moves) await keepMoves(work, change);
  const effects = await effectsOfMade(work, table, ids, rowCount ?? 0);
  const aside = await asideOf(work, change, table, stage, misfits);
  const counts = await countsOf(work, source, copies);
  return {
    effects: [...made.effects, ...effects.effects],
    anew: [...made.anew, ...effects.anew],
    aside,
    counts: {
      ...counts,
      misfits: { ...counts.misfits, aside: aside.slice(0, mostMisfits) },
      sums: await sumsOf(work, change, table, source),
    },
    lookedAt: [...made.lookedAt, ...lookedAt],
  };
}

async function countsOf(work: SetWork, source: Table, copies: Sql): Promise<SetDone['counts']> {
  const { rows } = await work.client.query<{ chosen: number; written: number }>(
    sql`select count(*)::int as chosen, count(*) filter (where _refused is null)::int as written from ${copies}`,
  );
  const { chosen = 0, written = 0 } = rows[0] ?? {};
  return { chosen, written, same: 0, ...(await leftOut(work, source, copies, raw('_source'))) };
}

/** The sums of numbers that are brought along, of the records that are made and of those that they come of. */
async function sumsOf(work: SetWork, change: CopyRecords, table: Table, source: Table): Promise<ReceiptSum[]> {
  const { client, access } = work;
  const numbers = change.values.flatMap(({ field: id, from }) => {
    const { field } = fieldOf(access.workspace.model, id);
    return from.is === 'formula' && valueTypeOf(field).is === 'number' && from.formula.type.is === 'number'
      ? [{ field, formula: from.formula }]
      : [];
  });
  if (change.by || numbers.length === 0) return [];
  const copies = copiesTable(change.copies);
  const { values, joins } = compiledOver(
    access,
    source,
    numbers.map(({ formula }) => formula),
    true,
  );
  const sums = async (columns: readonly string[], from: Sql): Promise<string[]> => {
    const listed = columns.map((column, at) => raw(`coalesce(sum(${column}), 0)::text as s${at}`));
    const { rows } = await client.query<Record<string, string>>(sql`select ${join(listed)} from ${from}`);
    return columns.map((_, at) => rows[0]?.[`s${at}`] ?? '0');
  };
  const before = await sums(
    values,
    sql`${tableSql(access.workspace, source)} r ${raw(joins)} join ${copies} c on c._source = r._id and c._refused is null`,
  );
  const after = await sums(
    numbers.map(({ field }) => columnOf('t', field.key)),
    sql`${tableSql(access.workspace, table)} t join ${copies} c on c._target = t._id and c._refused is null`,
  );
  return numbers.map(({ field, formula }, at) => ({
    from: `${source.label}: ${formulaWords(access.workspace.model, formula)}`,
    to: `${table.label}: ${field.label}`,
    before: before[at] ?? '0',
    after: after[at] ?? '0',
  }));
}

/** A plain field by its label, anything else as it is written. */
const formulaWords = (model: Model, formula: Expression): string =>
  formula.do === 'field' && formula.through.length === 0
    ? fieldOf(model, formula.field).field.label
    : printFormula(model, formula, 'labels');

/** The column with what was written where a value does not fit. */
const textName = ({ id }: Field): string => `"_t_${id}"`;

/** Further columns of a list. */
const listed = (columns: readonly Sql[]): Sql => (columns.length > 0 ? sql`, ${join([...columns])}` : raw(''));

/** Links among the records that are made: they are known once it is settled which of these are. */
const laterLinks = (change: CopyRecords): ReadonlySet<FieldId> =>
  new Set(
    change.values.flatMap(({ field, from }) => (from.is === 'copy' && from.copies === change.copies ? [field] : [])),
  );

async function fillLater(
  { client, access }: SetWork,
  change: CopyRecords,
  stage: Sql,
  later: ReadonlySet<FieldId>,
): Promise<void> {
  if (later.size === 0) return;
  const source = tableOf(access.workspace.model, change.from);
  for (const one of change.values) {
    if (!later.has(one.field) || one.from.is !== 'copy') continue;
    const { field } = fieldOf(access.workspace.model, one.field);
    const compiled = compiledOver(access, source, one.from.of ? [one.from.of] : [], true);
    await client.query(sql`
      update ${stage} s set ${raw(quoted(field))} = c._target
      from ${tableSql(access.workspace, source)} r ${raw(compiled.joins)}, ${copiesTable(change.copies)} c
      where r._id = s._source and c._source = ${raw(compiled.values[0] ?? 'r._id')} and c._refused is null
    `);
  }
}

/** One record for each different combination: with the value that most of its records have in each field. */
const groupedBy = (each: Sql, keys: readonly Sql[], values: readonly FilledValue[]): Sql => {
  const most = (name: string) => raw(`mode() within group (order by ${name}) as ${name}`);
  const keyed = join(
    keys.map((key) => sql`${key} is not null`),
    ' or ',
  );
  return sql`
    select min(_source) as _source${listed([
      ...keys,
      ...values.map(({ field }) => most(quoted(field))),
      ...values.flatMap(({ field, text }) => (text ? [most(textName(field))] : [])),
    ])}
    from (${each}) g
    where ${keyed}
    group by ${join([...keys])}
  `;
};

/** The last number that a table gave. */
const lastNumber = (name: string): Sql => sql`
  select greatest(
    coalesce(pg_sequence_last_value(pg_get_serial_sequence(${name}, '_id')::regclass), 0),
    coalesce((select max(_id) from ${raw(name)}), 0)
  ) as last
`;

/** Goes on with the numbering behind the records that are made. */
async function goOn({ client, access }: SetWork, table: Table, stage: Sql): Promise<void> {
  const name = tableName(access.workspace, table);
  await client.query(sql`
    select setval(pg_get_serial_sequence(${name}, '_id'), max(_target)) from ${stage} having max(_target) is not null
  `);
}

/** Which record each of the source came to be a part of: `each` gives them with their keys. */
async function shareOut({ client }: SetWork, change: CopyRecords, each: Sql, keys: readonly Sql[]): Promise<void> {
  const copies = copiesTable(change.copies);
  const [key] = keys;
  // A row of keys as text is the same where all are, blanks among them.
  const same =
    keys.length === 1 && key
      ? sql`s.${key} = m.${key}`
      : sql`row(${join(keys.map((one) => sql`s.${one}`))})::text = row(${join(keys.map((one) => sql`m.${one}`))})::text`;
  await client.query(sql`
    create temp table ${raw(`"_copies_${change.copies}"`)} on commit drop as
    select m._source, s._target, s._refused
    from (${each}) m
    join ${copiesTable(`${change.copies}_by`)} s on ${same}
  `);
  await client.query(sql`create unique index on ${copies} (_source); analyze ${copies}`);
}

const refuseWhere = (stage: Sql, reason: string, where: Sql): Sql => sql`
  update ${stage} s set _refused = ${raw(quoteText(reason))} where s._refused is null and ${where}
`;

/** Tells the records apart that the rules of their table would refuse. Among equals the first one stands. */
async function refuseBroken(
  { client, access }: SetWork,
  table: Table,
  stage: Sql,
  later: ReadonlySet<FieldId>,
): Promise<void> {
  const { model } = access.workspace;
  const written = table.fields.filter((field) => isStored(field) && isWritten(field) && !isSystem(field));
  for (const field of written)
    if (field.required && !later.has(field.id) && !isNumberedBlank(field))
      await client.query(refuseWhere(stage, `“${field.label}” is required`, sql`s.${identifier(field.key)} is null`));
  const together = [
    ...written.filter(({ unique }) => unique).map((field) => [field]),
    ...(table.rules ?? []).flatMap((rule) =>
      rule.kind === 'unique' ? [rule.fields.map((id) => fieldOf(model, id).field)] : [],
    ),
  ];
  for (const fields of together) {
    if (!fields.every((field) => written.includes(field))) continue;
    const labels = fields.map(({ label }) => `“${label}”`).join(' and ');
    const same = join(
      fields.map(({ key }) => sql`t.${identifier(key)} = s.${identifier(key)}`),
      ' and ',
    );
    await client.query(sql`
      update ${stage} s set _refused = ${`another record has the same ${labels}`}
      from ${tableSql(access.workspace, table)} t
      where s._refused is null and ${same}
    `);
    const keys = join(fields.map(({ key }) => identifier(key)));
    await client.query(sql`
      update ${stage} s set _refused = ${`an earlier one has the same ${labels}`}
      from (
        select _source, row_number() over (partition by ${keys} order by _source) as n
        from ${stage}
        where _refused is null and ${join(
          fields.map(({ key }) => sql`${identifier(key)} is not null`),
          ' and ',
        )}
      ) d
      where d._source = s._source and d.n > 1
    `);
  }
  for (const rule of table.rules ?? []) {
    if (rule.kind !== 'holds' || !isHeldByDatabase(model, rule)) continue;
    const where = conditionOnOwn(model, rule.condition, 's');
    await client.query(refuseWhere(stage, rule.message, raw(`not (${where})`)));
  }
}

/** A running number that is not brought along is given. */
const isNumberedBlank = (field: Field): boolean => field.type.kind === 'runningNumber';

/** Keeps where records went, in runs, so that old addresses lead there and their history goes on. */
async function keepMoves({ client, batch, access }: SetWork, change: CopyRecords): Promise<void> {
  const home = (id: string) => {
    const table = tableOf(access.workspace.model, id);
    return [access.workspace, ...access.workspace.peers].find(({ key }) => key === (table.home ?? access.workspace.key))
      ?.id;
  };
  await client.query(sql`
    insert into loom.moved (batch, from_workspace, from_table, first_id, last_id, to_workspace, to_table, to_id)
    select ${batch}, ${home(change.from)}, ${change.from}, min(_source), max(_source), ${home(change.table)}, ${change.table},
      min(_target)
    from (
      select _source, _target, _source - row_number() over (order by _source) as a, _target - _source as b
      from ${copiesTable(change.copies)}
      where _refused is null
    ) n
    group by a, b
  `);
}

/** What did not fit, with the new record; for records that move also what waits with them to be repaired. */
async function asideOf(
  { client }: SetWork,
  change: CopyRecords,
  table: Table,
  stage: Sql,
  misfits: readonly FilledValue[],
): Promise<SetAsideRow[]> {
  const aside: SetAsideRow[] = [];
  const along = change.values.flatMap(({ field, from }) =>
    from.is === 'formula' && from.formula.do === 'field' && from.formula.through.length === 0
      ? [[from.formula.field, field] as const]
      : [],
  );
  if (change.moves) {
    const { rows } = await client.query<Omit<SetAsideRow, 'table'>>(sql`
      select c._target as record, c._source as source, f.target as field, a.text, a.reason
      from loom.open_set_aside a
      join ${copiesTable(change.copies)} c on c._source = a.record_id and c._refused is null
      join unnest(${along.map(([source]) => source)}::text[], ${along.map(([, target]) => target)}::text[])
        f(source, target) on f.source = a.field_id
      where a.table_id = ${change.from}
      order by a.id
    `);
    aside.push(...rows.map((row) => ({ ...row, table: table.id })));
  }
  for (const { field, reason } of misfits) {
    const { rows } = await client.query<{ record: number; source: number; text: string }>(sql`
      select _target as record, _source as source, ${raw(textName(field))} as text
      from ${stage}
      where _refused is null and ${raw(textName(field))} is not null
      order by _target
    `);
    aside.push(...rows.map((row) => ({ ...row, table: table.id, field: field.id, reason })));
  }
  return aside;
}

/** Makes the targets of links that no record is yet, where that is asked for. */
async function makeMissing(
  work: SetWork,
  change: CopyRecords,
  source: Table,
  many: boolean,
): Promise<Pick<SetDone, 'effects' | 'anew' | 'lookedAt'>> {
  const { client, access, batch, step } = work;
  const effects: Effects[] = [];
  const anew: FieldId[] = [];
  const lookedAt: LookedAt[] = [];
  const { model } = access.workspace;
  for (const filled of change.values) {
    const { field } = fieldOf(model, filled.field);
    if (filled.missing !== 'create' || field.type.kind !== 'link' || filled.match === undefined) continue;
    const target = tableOf(model, field.type.to);
    const match = fieldOf(model, filled.match).field;
    const one = filledValues(work, tableOf(model, change.table), source, [filled], many);
    const chosen = chosenSql(access, source, change.chosen, many);
    const [value] = one.values;
    if (!value) continue;
    const joins = sql`${one.joins} ${raw(chosen.joins)}`;
    const { rows } = await client.query<{ id: number }>(sql`
      insert into ${tableSql(access.workspace, target)} (${raw(quoted(match))})
      select word from (${missingTargets(tableName(access.workspace, source), joins, chosen.where, value)}) w
      returning _id as id
    `);
    if (rows.length === 0) continue;
    const ids = sql`select unnest(${rows.map(({ id }) => id)}::bigint[]) as id`;
    await client.query(sql`
      insert into loom.history (batch, table_id, first_id, last_id, kind, step)
      select ${batch}, ${target.id}, first, last, 'made', ${step} from (${runsSql(ids)}) u
    `);
    lookedAt.push(...(await lookAt(work, { table: target, fields: [match.id], made: ids })));
    const done = await effectsOfMade(work, target, ids, rows.length);
    effects.push(...done.effects);
    anew.push(...done.anew);
  }
  return { effects, anew, lookedAt };
}
