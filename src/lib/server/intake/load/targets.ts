import { recordMatch } from '$core/intake/sheets/declared';
import type { ColumnMapping, MissingTargets, SheetMapping } from '$core/intake/intake';
import { fieldOf, findField, isEntered, isNumbered, linkedTable, overOf, tableOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import type { EnteredType } from '$core/fieldTypes/registry';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../../access/workspaceState';
import type { Client } from '../../database/pool';
import { refuse } from '../../base/refusal';
import { madeRun, type HistoryRow } from '../../records/edits';
import { readSql, textSql } from '../../fieldTypes/registry';
import { titleSql } from '../../query/selection';
import { cleanedSql } from '../staged/cleaning';
import type { LoadedSheet } from './loadedSheet';
import { stagedName } from '../staged/stagedName';
import { identifier, raw, sql, type Sql } from '../../base/sql';

/** What is being loaded together, and the tables that got records for texts which had no target. */
export interface Loading {
  readonly client: Client;
  readonly access: WorkspaceAccess;
  readonly all: readonly LoadedSheet[];
  readonly created: Set<string>;
}

/**
 * A link column of a sheet: its texts over the staged row `s`, or, for a link to many, the words of each as `w.word`.
 */
export interface LinkColumn {
  readonly column: number;
  readonly field: Field;
  readonly target: Table;
  readonly many: boolean;
  readonly missing: MissingTargets;
  /** The text of a single target. */
  readonly text: string;
  /** What stands behind `from`: the staged rows, for a link to many with their words. */
  readonly from: string;
  /** The target's `_id`, with the joins it needs; blank where there is none. */
  readonly found: (joins: string[]) => string;
}

/** The link columns of a sheet that is loaded. */
export const linkColumns = (loading: Loading, loaded: LoadedSheet): LinkColumn[] =>
  loaded.mapping.columns.flatMap((mapping) => linkColumn(loading, loaded, mapping) ?? []);

export function linkColumn(loading: Loading, { sheet }: LoadedSheet, mapping: ColumnMapping): LinkColumn | null {
  const { model } = loading.access.workspace;
  const { field } = fieldOf(model, mapping.field);
  const linked = linkedTable(model, field);
  if (!linked || mapping.match === undefined) return null;
  const { table: target, many } = linked;
  const { column, also, match, missing = 'setAside' } = mapping;
  const cleaned = cleanedSql('s', column, mapping.clean);
  const text = many ? 'w.word' : cleaned;
  const staged = `${stagedName(sheet.staged)} s`;
  const second = also && { text: cleanedSql('s', also.column, also.clean), match: also.match };
  return {
    column,
    field,
    target,
    many,
    missing,
    text,
    from: many
      ? `${staged} cross join lateral (select distinct loom.trimmed(x) as word from unnest(string_to_array(${cleaned}, ';')) x) w`
      : staged,
    found: (joins) => targetSql(loading, target, [{ text, match }, ...(second ? [second] : [])], joins),
  };
}

interface Told {
  readonly text: string;
  readonly match: string;
}

/**
 * The target's `_id` for texts: by its place in the sheets that its table is loaded from, or in the table as it stands.
 */
function targetSql({ access, all, created }: Loading, target: Table, told: readonly Told[], joins: string[]): string {
  const found: string[] = [];
  const sources = all.filter(
    ({ table, mapping }) =>
      table.id === target.id && told.every(({ match }) => keyColumn(mapping, match) !== undefined),
  );
  for (const one of sources) {
    const alias = `k${joins.length}`;
    const keys = told.map(({ match }) => {
      const { column, clean } = keyColumn(one.mapping, match) as Pick<ColumnMapping, 'column' | 'clean'>;
      return { column, text: cleanedSql('x', column, clean), plain: clean === undefined };
    });
    const [only] = keys;
    const place = one.stands ? `coalesce(x._target, ${one.offset} + x._row)` : `${one.offset} + x._row`;
    const proved = keys.length === 1 && only?.plain && one.sheet.unique.includes(only.column);
    // Of a text that several rows have, none is meant more than another.
    const source = `
      (
        select ${keys.map(({ text }, at) => `${text} as k${at}`).join(', ')},
          ${proved ? place : `min(${place})`} as id
        from ${stagedName(one.sheet.staged)} x
        where x._refused is null${proved ? '' : ` group by ${keys.map((_, at) => at + 1).join(', ')} having count(*) = 1`}
      )
    `;
    joins.push(
      `left join ${source} ${alias} on ${told.map(({ text }, at) => `${alias}.k${at} = ${text}`).join(' and ')}`,
    );
    found.push(`${alias}.id`);
  }
  const byRecord = told.some(({ match }) => match === recordMatch);
  if (!byRecord && (sources.length === 0 || sources.some(({ stands }) => stands) || created.has(target.id))) {
    const alias = `k${joins.length}`;
    const keys = told.map(({ text, match }) => standingKey(access, target, match, text));
    const once =
      keys.length === 1 && keys[0]?.unique
        ? `(select _id as id, ${keys[0].stored} as k0 from ${tableName(access.workspace, target)} t)`
        : `
          (
            select ${keys.map(({ stored }, at) => `${stored} as k${at}`).join(', ')}, min(_id) as id
            from ${tableName(access.workspace, target)} t
            where ${keys.map(({ stored }) => `${stored} is not null`).join(' and ')}
            group by ${keys.map((_, at) => at + 1).join(', ')}
            having count(*) = 1
          )
        `;
    joins.push(
      `
        left join ${once} ${alias} on ${keys.map(({ wanted }, at) => `${alias}.k${at} = ${wanted}`).join(' and ')}
      `,
    );
    found.push(`${alias}.id`);
  }
  return found.length > 1 ? `coalesce(${found.join(', ')})` : (found[0] ?? 'null::bigint');
}

/** The column by which a sheet's rows are told: that of a field, or the one that becomes no field. */
const keyColumn = (
  { columns, numbered }: SheetMapping,
  match: string,
): Pick<ColumnMapping, 'column' | 'clean'> | undefined =>
  match === recordMatch && numbered !== undefined ? { column: numbered } : columns.find(({ field }) => field === match);

/**
 * How a text is held against a field of the target as it stands, whose alias is `t`: links by the title of where they
 * point.
 */
export function standingKey(
  access: WorkspaceAccess,
  target: Table,
  match: string,
  text: string,
): { stored: string; wanted: string; unique: boolean } {
  const { model } = access.workspace;
  const { field } = fieldOf(model, match);
  const column = `t.${quoteIdentifier(field.key)}`;
  if (field.type.kind === 'link') {
    const further = tableOf(model, field.type.to);
    return {
      stored: `
        (
          select ${titleSql(access, further, 'z')}
          from ${tableName(access.workspace, further)} z
          where z._id = ${column}
        )
      `,
      wanted: text,
      unique: false,
    };
  }
  if (isEntered(field) || isNumbered(field))
    return {
      stored: column,
      wanted: isNumbered(field) ? text : readSql(text, field.type as EnteredType),
      unique: field.unique,
    };
  return {
    stored: textSql(column, shownType(model, field), homeOf(access.workspace, target).zone),
    wanted: text,
    unique: false,
  };
}

/** Records made for texts of a sheet's link that found no target; their numbers follow each other. */
export interface MadeTargets {
  readonly loaded: LoadedSheet;
  readonly field: Field;
  readonly target: Table;
  readonly first: number;
  readonly last: number;
}

/**
 * Makes a record for each text that finds no target, where that was chosen, and refuses rows where that was. Rows are
 * refused first, so that nothing is made for them; those whose target may be among the records made are looked at once
 * these are there.
 */
export async function settleMissing(loading: Loading): Promise<MadeTargets[]> {
  const awaited = new Set(
    loading.all.flatMap((loaded) =>
      linkColumns(loading, loaded).flatMap(({ missing, target }) => (missing === 'create' ? [target.id] : [])),
    ),
  );
  await refuseMissing(loading, ({ target }) => !awaited.has(target.id));
  const made = await createTargets(loading);
  if (awaited.size > 0) await refuseMissing(loading);
  return made;
}

async function createTargets(loading: Loading): Promise<MadeTargets[]> {
  const { client, access } = loading;
  const made: MadeTargets[] = [];
  for (const loaded of loading.all)
    for (const { column, field, target, missing, text, from, found } of linkColumns(loading, loaded)) {
      if (missing !== 'create') continue;
      const { match = '', also } = loaded.mapping.columns.find((one) => one.column === column) ?? {};
      const key = findField(access.workspace.model, match)?.field;
      const needs = target.fields.find(
        (one) => one.required && one.id !== match && one.default === undefined && isEntered(one),
      );
      if (also || needs || !key || !isEntered(key) || key.type.kind === 'link')
        throw refuse(
          422,
          `Missing records of ${target.label} cannot be made from “${field.label}”${needs ? `: “${needs.label}” is required there` : ''}.`,
          'Set those values aside, or refuse the rows.',
        );
      const joins: string[] = [];
      const id = found(joins);
      const { rows } = await client.query<{ first: number | null; last: number }>(
        sql`
          with wanted as (
            select distinct ${raw(text)} as text
            from ${raw(from)} ${raw(joins.join(' '))}
            where s._refused is null and ${raw(text)} is not null and ${raw(id)} is null
          ),
            made as (
              insert into ${tableSql(access.workspace, target)} (${identifier(key.key)})
              select v
              from (select distinct ${raw(readSql('text', key.type as EnteredType))} as v from wanted) r
              where v is not null
              order by v
              returning _id
            )
          select min(_id) as first, max(_id) as last
          from made
        `,
      );
      const [run] = rows;
      if (!run || run.first === null) continue;
      loading.created.add(target.id);
      made.push({ loaded, field, target, first: run.first, last: run.last });
    }
  return made;
}

/** Refuses rows that find no target where that was chosen; a row refused may be the target of another one. */
async function refuseMissing(loading: Loading, which: (link: LinkColumn) => boolean = () => true): Promise<void> {
  const { client } = loading;
  for (let refused = true; refused;) {
    refused = false;
    for (const loaded of loading.all)
      for (const { field, target, missing, text, from, found } of linkColumns(loading, loaded).filter(which)) {
        if (missing !== 'refuse') continue;
        const joins: string[] = [];
        const id = found(joins);
        const reason = `${quoteText(`“${field.label}”: no record of ${target.label} is `)} || m.text`;
        const { rowCount } = await client.query(
          sql`
            update ${raw(stagedName(loaded.sheet.staged))} r
            set _refused = ${raw(reason)}
            from (
              select s._row, min(${raw(text)}) as text
              from ${raw(from)} ${raw(joins.join(' '))}
              where s._refused is null and ${raw(text)} is not null and ${raw(id)} is null
              group by 1
            ) m
            where m._row = r._row
          `,
        );
        refused ||= (rowCount ?? 0) > 0;
      }
  }
}

/** A record's number for the staged row `s`. */
export const recordOf = ({ offset, stands }: LoadedSheet): string =>
  stands ? `coalesce(s._target, ${offset} + s._row)` : `${offset} + s._row`;

/** Writes the pairs of links to many: a filled cell says all targets of its record. Gives what became of the pairs. */
export async function writePairs(
  loading: Loading,
  loaded: LoadedSheet,
): Promise<{ table: Table; history: HistoryRow[] }[]> {
  const { client, access } = loading;
  const written: { table: Table; history: HistoryRow[] }[] = [];
  for (const { field, many, from, found } of linkColumns(loading, loaded)) {
    if (!many || field.type.kind !== 'counterpart') continue;
    const { field: near, table } = fieldOf(access.workspace.model, field.type.link);
    const { field: far } = fieldOf(access.workspace.model, overOf(field) ?? '');
    const joins: string[] = [];
    const id = found(joins);
    await client.query(
      sql`
        create temporary table wanted_pairs on commit drop as
        select distinct ${raw(recordOf(loaded))} as near, ${raw(id)} as far
        from ${raw(from)} ${raw(joins.join(' '))}
        where s._refused is null and w.word is not null
      `,
    );
    const pairs = { name: tableSql(access.workspace, table), table, near, far };
    const gone = loaded.stands ? await removeUnwanted(client, pairs) : [];
    const made = await makeWanted(client, pairs);
    await client.query('drop table wanted_pairs');
    written.push({ table, history: [...gone, ...made] });
  }
  return written;
}

/** A table of pairs with its two links. */
interface Pairs {
  readonly name: Sql;
  readonly table: Table;
  readonly near: Field;
  readonly far: Field;
}

/** Takes out the pairs of the records of a sheet that it does not name. */
async function removeUnwanted(client: Client, { name, table, near, far }: Pairs): Promise<HistoryRow[]> {
  const [n, f] = [identifier(near.key), identifier(far.key)];
  const { rows } = await client.query<{ id: number; near: number; far: number }>(
    sql`
      delete from ${name} p
      where p.${n} in (select near from wanted_pairs)
        and not exists (select from wanted_pairs w where w.near = p.${n} and w.far = p.${f})
      returning p._id as id, p.${n} as near, p.${f} as far
    `,
  );
  return rows.map((row) => ({
    table: table.id,
    first: row.id,
    last: row.id,
    kind: 'deleted',
    before: { [near.id]: row.near, [far.id]: row.far },
    after: null,
  }));
}

/** Makes the pairs that are wanted and not there. */
async function makeWanted(client: Client, { name, table, near, far }: Pairs): Promise<HistoryRow[]> {
  const [n, f] = [identifier(near.key), identifier(far.key)];
  const { rows } = await client.query<{ first: number | null; last: number }>(
    sql`
      with made as (
        insert into ${name} (${n}, ${f})
        select near, far
        from wanted_pairs w
        where far is not null and not exists (select from ${name} p where p.${n} = w.near and p.${f} = w.far)
        order by 1, 2
        returning _id
      )
      select min(_id) as first, max(_id) as last
      from made
    `,
  );
  const [run] = rows;
  return run && run.first !== null ? [madeRun(table.id, run.first, run.last)] : [];
}
