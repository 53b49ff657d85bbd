import type { CopyValues } from '$core/types/change';
import type { FieldId, TableId } from '$core/types/identity';
import { fieldOf, isToMany, linkedTable, overOf, tableOf, typeAs } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../access/workspaceState';
import type { Client } from '../database/pool';
import { madeRun, type HistoryRow } from '../records/edits';
import { textSql } from '../fieldTypes/registry';
import { titleSql } from '../query/selection';
import type { SetAsideRow } from '../records/keepAside';
import { raw, sql, type Sql } from '../base/sql';

export interface CopiedValues {
  readonly history: readonly HistoryRow[];
  readonly aside: readonly SetAsideRow[];
  /** Fields whose values are other ones now. */
  readonly fields: readonly FieldId[];
  /** What was set aside of the field that was copied, and went on with its values. */
  readonly settles?: { readonly table: TableId; readonly field: FieldId };
}

interface Copying {
  readonly client: Client;
  readonly access: WorkspaceAccess;
  readonly change: CopyValues;
  readonly table: Table;
  readonly from: Field;
  readonly to: Field;
}

/**
 * Fills a field from another, set by set; what finds no place is set aside. `access` has the model at this point of the
 * plan.
 */
export async function copyValues(client: Client, access: WorkspaceAccess, change: CopyValues): Promise<CopiedValues> {
  const { model } = access.workspace;
  const table = tableOf(model, change.table);
  const copying: Copying = {
    client,
    access,
    change,
    table,
    from: fieldOf(model, change.from).field,
    to: fieldOf(model, change.to).field,
  };
  const { from, to } = copying;
  const linked = (field: Field) => field.type.kind === 'link' || isToMany(field);
  if (!linked(to)) return asideToText(copying, await titlesToText(copying));
  const copied = linked(from)
    ? await (from.type.kind === 'link' ? oneToMany(copying) : manyToOne(copying))
    : await textToLinks(copying);
  return asideToLink(copying, copied);
}

/** What is set aside of a field: the latest text of each record. */
const openAside = (access: WorkspaceAccess, table: Table, field: Field): Sql => sql`
  select distinct on (record_id) record_id, text, reason from loom.open_set_aside
  where workspace = ${access.workspace.id} and table_id = ${table.id} and field_id = ${field.id}
  order by record_id, id desc
`;

/** What was set aside of a link becomes text with it: where the record has no link, or behind what is linked. */
async function asideToText({ client, access, table, from, to }: Copying, copied: CopiedValues): Promise<CopiedValues> {
  const at = `t.${column(to)}`;
  const rest = isToMany(from) ? `concat_ws('; ', ${at}, a.text)` : `coalesce(${at}, a.text)`;
  await client.query(
    sql`
      update ${tableSql(access.workspace, table)} t
      set ${raw(column(to))} = ${raw(rest)}
      from (${openAside(access, table, from)}) a
      where t._id = a.record_id
    `,
  );
  return { ...copied, settles: { table: table.id, field: from.id } };
}

/** What was set aside of the field that is copied stays set aside, with the new one. */
async function asideToLink({ client, access, table, from, to }: Copying, copied: CopiedValues): Promise<CopiedValues> {
  const { rows } = await client.query<{ record_id: number; text: string; reason: string }>(
    openAside(access, table, from),
  );
  const carried = rows.map(({ record_id: record, text, reason }): SetAsideRow => ({
    table: table.id,
    record,
    field: to.id,
    text,
    reason,
  }));
  return { ...copied, aside: [...copied.aside, ...carried], settles: { table: table.id, field: from.id } };
}

/** The pairs of a link to many: their table, the column of this side and that of the far side. */
function pairsOf({ access }: Copying, field: Field): { name: string; table: Table; near: Field; far: Field } {
  const { model } = access.workspace;
  const { link } = typeAs(field, 'counterpart');
  const { field: near, table } = fieldOf(model, link);
  return { name: tableName(access.workspace, table), table, near, far: fieldOf(model, overOf(field) ?? '').field };
}

const column = (field: Field): string => quoteIdentifier(field.key);

async function titlesToText({ client, access, table, from, to }: Copying): Promise<CopiedValues> {
  const name = tableName(access.workspace, table);
  const target = linkedTable(access.workspace.model, from)?.table;
  if (!target) throw new Error(`${from.key} is no link`);
  const title = titleSql(access, target, 'x');
  if (from.type.kind === 'link')
    await client.query(
      sql`
        update ${raw(name)} t
        set ${raw(column(to))} = ${raw(title)}
        from ${tableSql(access.workspace, target)} x
        where x._id = t.${raw(column(from))}
      `,
    );
  else {
    const pairs = pairsOf({ access } as Copying, from);
    await client.query(
      sql`
        update ${raw(name)} t
        set ${raw(column(to))} = g.titles
        from (
          select p.${raw(column(pairs.near))} as id,
            string_agg(${raw(title)}, '; ' order by p._id) as titles
          from ${raw(pairs.name)} p
          join ${tableSql(access.workspace, target)} x on x._id = p.${raw(column(pairs.far))}
          group by 1
        ) g
        where g.id = t._id
      `,
    );
  }
  return { history: [], aside: [], fields: [to.id] };
}

async function oneToMany(copying: Copying): Promise<CopiedValues> {
  const { client, access, table, from, to } = copying;
  const pairs = pairsOf(copying, to);
  await client.query(
    sql`
      insert into ${raw(pairs.name)} (${raw(column(pairs.near))}, ${raw(column(pairs.far))})
      select _id, ${raw(column(from))}
      from ${tableSql(access.workspace, table)}
      where ${raw(column(from))} is not null
      order by _id
    `,
  );
  return { history: [], aside: [], fields: [pairs.near.id, pairs.far.id] };
}

async function manyToOne(copying: Copying): Promise<CopiedValues> {
  const { client, access, table, from, to } = copying;
  const pairs = pairsOf(copying, from);
  const target = linkedTable(access.workspace.model, from)?.table;
  if (!target) throw new Error(`${from.key} is no link`);
  const grouped = `
    select p.${column(pairs.near)} as id, min(p.${column(pairs.far)}) as only, count(*) as n
    from ${pairs.name} p
    group by 1
  `;
  await client.query(
    sql`
      update ${tableSql(access.workspace, table)} t
      set ${raw(column(to))} = g.only
      from (${raw(grouped)}) g
      where g.id = t._id and g.n = 1
    `,
  );
  const { rows } = await client.query<{ record: number; text: string }>(
    sql`
      select p.${raw(column(pairs.near))} as record,
        string_agg(${raw(titleSql(access, target, 'x'))}, '; ' order by p._id) as text
      from ${raw(pairs.name)} p
      join ${tableSql(access.workspace, target)} x on x._id = p.${raw(column(pairs.far))}
      group by 1
      having count(*) > 1
    `,
  );
  return {
    history: [],
    fields: [to.id],
    aside: rows.map((row) => ({
      ...row,
      table: table.id,
      field: to.id,
      reason: 'several records; the link is to one',
    })),
  };
}

/**
 * Texts become links to the records whose field says the same: as written, else in any letter case, else as was
 * confirmed. A text that two records say is nobody's. What remains makes a record of its own or is set aside.
 */
async function textToLinks(copying: Copying): Promise<CopiedValues> {
  const { client, access, change, table, from, to } = copying;
  const { model } = access.workspace;
  const name = tableName(access.workspace, table);
  const target = linkedTable(model, to)?.table;
  if (!target || change.match === undefined) throw new Error(`nothing to compare ${from.key} with`);
  const match = fieldOf(model, change.match).field;
  const targetName = tableName(access.workspace, target);
  const zone = homeOf(access.workspace, table).zone;
  const written = textSql(`r.${column(from)}`, shownType(model, from), zone);
  const said = textSql(`x.${column(match)}`, shownType(model, match), zone);
  // Each text once, with the record it means.
  const several = to.type.kind === 'counterpart';
  await client.query('drop table if exists pg_temp.loom_words');
  await client.query(
    sql`create temp table loom_words on commit drop as select word, null::bigint as target from (${raw(
      several
        ? `select distinct loom.trimmed(w) as word from ${name} r, regexp_split_to_table(${written}, '[;,]') w`
        : `select distinct loom.trimmed(${written}) as word from ${name} r where r.${column(from)} is not null`,
    )}) d where word is not null`,
  );
  await client.query(
    sql`
      update loom_words w
      set target = f.id
      from (
        select loom.trimmed(${raw(said)}) as word, min(x._id) as id
        from ${raw(targetName)} x
        group by 1
        having count(*) = 1
      ) f
      where f.word = w.word
    `,
  );
  await client.query(
    sql`
      update loom_words w
      set target = f.id
      from (
        select lower(loom.trimmed(${raw(said)})) as word, min(x._id) as id
        from ${raw(targetName)} x
        group by 1
        having count(*) = 1
      ) f
      where w.target is null and f.word = lower(w.word)
    `,
  );
  const confirmed = Object.entries(change.confirmed ?? {});
  if (confirmed.length > 0)
    await client.query(
      sql`
        update loom_words w
        set target = c.id
        from unnest(
          ${confirmed.map(([word]) => word)}::text[], ${confirmed.map(([, id]) => id)}::bigint[]
        ) c(word, id)
        where w.word = c.word and exists (select from ${raw(targetName)} x where x._id = c.id)
      `,
    );
  // A list's options become records in its order, those that no record has as well.
  const options =
    from.type.kind === 'option' || from.type.kind === 'options' ? from.type.options.map(({ label }) => label) : [];
  if (change.missing === 'create' && options.length > 0)
    await client.query(
      sql`
        insert into loom_words
        select o, (select min(x._id) from ${raw(targetName)} x where loom.trimmed(${raw(said)}) = o)
        from unnest(${options}::text[]) o
        where not exists (select from loom_words w where w.word = o)
      `,
    );
  const history: HistoryRow[] =
    change.missing === 'create' ? await makeTargets(client, target, targetName, match, options) : [];
  await client.query('create unique index on loom_words (word); analyze loom_words');
  const pairs = several ? pairsOf(copying, to) : null;
  if (pairs)
    await client.query(
      sql`
        insert into ${raw(pairs.name)} (${raw(column(pairs.near))}, ${raw(column(pairs.far))})
        select distinct on (r._id, w.target) r._id, w.target
        from ${raw(name)} r, regexp_split_to_table(${raw(written)}, '[;,]') p
        join loom_words w on w.word = loom.trimmed(p)
        where w.target is not null
        order by r._id, w.target
      `,
    );
  else await fillLink(client, name, to, from, written);
  const { rows } = await client.query<{ record: number; text: string }>(
    several
      ? `
        select r._id as record, string_agg(w.word, '; ') as text
        from ${name} r, regexp_split_to_table(${written}, '[;,]') p
        join loom_words w on w.word = loom.trimmed(p)
        where w.target is null
        group by 1
      `
      : `
        select r._id as record, ${written} as text
        from ${name} r
        where r.${column(to)} is null and loom.trimmed(${written}) is not null
      `,
  );
  const aside = rows.map((row) => ({
    ...row,
    table: table.id,
    field: to.id,
    reason: `no record of ${target.label} says this`,
  }));
  const made = history.length > 0 ? target.fields.map(({ id }) => id) : [];
  return { history, aside, fields: [...(pairs ? [pairs.near.id, pairs.far.id] : [to.id]), ...made] };
}

/** A whole column is filled by rewriting the table, which is three times as fast as updating it. */
async function fillLink(client: Client, name: string, to: Field, from: Field, written: string): Promise<void> {
  const found = `pg_temp.loom_target(loom.trimmed(${written.replaceAll(`r.${column(from)}`, column(from))}))`;
  await client.query(
    `
      create
        or replace function pg_temp.loom_target(word text) returns bigint language sql stable as 'select target from pg_temp.loom_words w where w.word = $1'
    `,
  );
  await client.query(sql`
    alter table ${raw(name)} alter column ${raw(column(to))} type bigint using ${raw(found)}
  `);
}

async function makeTargets(
  client: Client,
  target: Table,
  targetName: string,
  match: Field,
  order: readonly string[],
): Promise<HistoryRow[]> {
  const { rows } = await client.query<{ first: number | null; last: number | null }>(
    sql`
      with made as (
        insert into ${raw(targetName)} (${raw(column(match))})
        select word
        from loom_words
        where target is null
        order by array_position(${order}::text[], word), word
        returning _id, ${raw(column(match))} as word
      ),
        linked as (update loom_words w set target = made._id from made where made.word = w.word)
      select min(_id) as first, max(_id) as last
      from made
    `,
  );
  const { first = null, last = null } = rows[0] ?? {};
  return first === null || last === null ? [] : [madeRun(target.id, first, last)];
}
