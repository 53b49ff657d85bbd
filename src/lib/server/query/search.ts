import { fieldKinds } from '$core/fieldTypes/registry';
import { fieldOf, isShown, isStored, linkedTable, ownTables, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Dye, Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { storedName, tableName } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import { errorCode } from '../database/transaction';
import { estimatesOf } from './estimate';
import { titleSql } from './selection';
import { raw, sql, type Sql } from '../base/sql';

export interface FoundRecord {
  readonly table: string;
  readonly label: string;
  readonly dye: Dye;
  readonly id: number;
  readonly title: string;
  /** It is not what was typed, but nearly. */
  readonly near: boolean;
}

/** A condition that what was typed may mean: `field is value`, with its words and its formula. */
export interface Suggestion {
  readonly field: string;
  readonly label: string;
  readonly value: string;
  readonly filter: string;
  readonly near: boolean;
}

/** So many titles with the text are looked at before the best are chosen: enough to find those that begin with it. */
const mostLooked = 300;
/** So many records are a sample in which a word that very many titles have is met often enough. */
const mostSampled = 10_000;
/** Near titles are looked for by index as long as this, in milliseconds; a search is no place to wait. */
const nearFor = 40;
/** So many titles are compared one by one where the index was too slow. */
const mostCompared = 2_000;
const mostNear = 3;
/** Of shorter texts too much is near. */
const leastNear = 4;
const cancelled = '57014';

const escaped = (text: string): string => text.replaceAll(/[\\%_]/g, (sign) => `\\${sign}`);

/** The title as the index on it has it, where one can stand; the same value everywhere else. */
function searched(access: WorkspaceAccess, table: Table, alias: string): string {
  const title = table.title === null ? null : fieldOf(access.workspace.model, table.title).field;
  const plain = title && isStored(title) && fieldKinds[shownType(access.workspace.model, title).kind].oneLine === true;
  return plain ? `lower(${alias}.${quoteIdentifier(title.key)})` : `lower(${titleSql(access, table, alias)})`;
}

/** Some pages of a table; of one that is cut all that is seen of it, which no sample can be taken of. */
const sampled = ({ workspace }: WorkspaceAccess, table: Table, share: number): string =>
  `${tableName(workspace, table)} r${workspace.cuts?.of.has(table.id) ? '' : ` tablesample system (${Math.min(1, share) * 100}) repeatable (1)`}`;

interface Hit {
  readonly id: number;
  readonly title: string;
}

/**
 * Where titles with a text are looked for: among those that begin with it, in some pages of the table, or everywhere.
 */
type Where = 'begins' | 'sampled' | 'anywhere';

async function titlesIn(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  text: string,
  where: Where,
  limit: number,
  share = 1,
): Promise<Hit[]> {
  const title = searched(access, table, 'r');
  const from = where === 'sampled' ? sampled(access, table, share) : `${tableName(access.workspace, table)} r`;
  const { rows } = await client.query<Hit>(
    sql`
      select id, title
      from (
        select r._id as id, ${raw(titleSql(access, table, 'r'))} as title, ${raw(title)} as low
        from ${raw(from)}
        where ${raw(title)} like ${where === 'begins' ? `${escaped(text)}%` : `%${escaped(text)}%`}
        limit ${mostLooked}
      ) f
      order by strpos(low, ${text}), title collate loom.people, id
      limit ${limit}
    `,
  );
  return rows;
}

/**
 * Records whose title begins with a text, then those that have it anywhere; from three letters on by trigrams. Words
 * that very many titles have are found in a few pages of the table sooner than by an index, which would bring all of
 * them first.
 */
async function titlesWith(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  records: number,
  typed: string,
  limit: number,
): Promise<Hit[]> {
  const text = typed.toLowerCase();
  const begin = await titlesIn(client, access, table, text, 'begins', limit);
  if (text.length < 3 || begin.length >= limit) return begin;
  const sampled =
    records > 2 * mostSampled
      ? await titlesIn(client, access, table, text, 'sampled', limit, mostSampled / records)
      : [];
  const anywhere = sampled.length >= limit ? sampled : await titlesIn(client, access, table, text, 'anywhere', limit);
  const known = new Set(begin.map(({ id }) => id));
  return [...begin, ...anywhere.filter(({ id }) => !known.has(id))].slice(0, limit);
}

/**
 * The text with two letters that follow each other changed round, at each place: shared trigrams tell such a slip badly
 * in short words.
 */
const turnedRound = (text: string): string[] =>
  [...text].slice(1).flatMap((letter, index) => {
    const before = text[index] ?? '';
    return before === letter || letter === ' ' || before === ' '
      ? []
      : [`%${escaped(text.slice(0, index) + letter + before + text.slice(index + 2))}%`];
  });

/**
 * Records whose title has a word that is nearly the text, the most alike first. The index gives a sample where very
 * many share its trigrams; where that takes longer than a search may, some pages of the table are looked at instead.
 */
async function titlesNear(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  records: number,
  typed: string,
  milliseconds: number,
): Promise<Hit[]> {
  const title = searched(access, table, 'r');
  const name = tableName(access.workspace, table);
  const text = typed.toLowerCase();
  const look = async (from: string): Promise<Hit[]> => {
    const around = turnedRound(text);
    const select = (where: Sql) => sql`(
      select r._id as id, ${raw(titleSql(access, table, 'r'))} as title, ${raw(title)} as low
      from ${raw(from)} where ${where} limit 50
    )`;
    const { rows } = await client.query<Hit>(
      sql`
        select id, title
        from (
          ${select(sql`${text} operator(loom.<%) ${raw(title)}`)}
          union ${select(sql`${raw(title)} like any (${around})`)}
        ) f
        order by greatest(
          loom.word_similarity(${text}, low), case when low like any (${around}) then 0.9 else 0 end
        ) desc,
          title collate loom.people, id
        limit ${mostNear}
      `,
    );
    return rows;
  };
  await client.query(
    sql`
      savepoint near;
      set local statement_timeout = ${raw(String(Math.ceil(milliseconds)))};
      set local gin_fuzzy_search_limit = 2000;
      set local pg_trgm.word_similarity_threshold = 0.5
    `,
  );
  try {
    return await look(`${name} r`);
  } catch (error) {
    if (errorCode(error) !== cancelled) throw error;
    await client.query('rollback to savepoint near; set local pg_trgm.word_similarity_threshold = 0.5');
    if (access.workspace.cuts?.of.has(table.id)) return [];
    return await look(sampled(access, table, mostCompared / Math.max(1, records)));
  } finally {
    // Resets the settings as well.
    await client.query('rollback to savepoint near');
  }
}

/**
 * Reads with the indexes for searching: PostgreSQL, which knows nothing of how rare three letters are, would as soon
 * read a table through.
 */
async function searching<T>(pool: Pool, work: (client: Client) => Promise<T>): Promise<T> {
  const client = await pool.connect();
  try {
    await client.query('begin read only; set local jit = off; set local enable_seqscan = off');
    return await work(client);
  } finally {
    await client.query('rollback').catch(() => undefined);
    client.release();
  }
}

/** Records of some tables whose titles begin with a text or have it; where none has, those that nearly do. */
async function found(
  client: Client,
  access: WorkspaceAccess,
  tables: readonly Table[],
  typed: string,
  limit: number,
): Promise<FoundRecord[]> {
  const say = (table: Table, near: boolean) => (hit: Hit) => ({
    table: table.key,
    label: table.label,
    dye: table.dye,
    id: hit.id,
    title: hit.title,
    near,
  });
  const all: FoundRecord[] = [];
  const sizes = await estimatesOf(
    client,
    tables.map((table) => storedName(access.workspace, table)),
  );
  for (const [index, table] of tables.entries())
    all.push(...(await titlesWith(client, access, table, sizes[index] ?? 0, typed, limit)).map(say(table, false)));
  if (all.length > 0 || typed.length < leastNear) return all;
  const until = performance.now() + nearFor;
  for (const [index, table] of tables.entries()) {
    const left = until - performance.now();
    if (left < 5) break;
    all.push(...(await titlesNear(client, access, table, sizes[index] ?? 0, typed, left)).map(say(table, true)));
  }
  return all;
}

/** Records of a workspace by their titles: those of each table that begin with the text, have it, or nearly have it. */
export async function searchWorkspace(
  pool: Pool,
  access: WorkspaceAccess,
  typed: string,
  ofEach: number,
): Promise<FoundRecord[]> {
  const text = typed.trim();
  if (text === '') return [];
  const all = await searching(pool, (client) => found(client, access, ownTables(access.workspace.model), text, ofEach));
  const rank = ({ near, title }: FoundRecord) =>
    near ? 2 : title.toLowerCase().startsWith(text.toLowerCase()) ? 0 : 1;
  return all.sort((a, b) => rank(a) - rank(b));
}

/**
 * What a text typed over a table may mean: its records by title, and conditions on its options, people and links from
 * what is there.
 */
export async function searchTable(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  typed: string,
  limit: number,
): Promise<{ records: FoundRecord[]; suggestions: Suggestion[] }> {
  const text = typed.trim();
  if (text === '') return { records: [], suggestions: [] };
  return searching(pool, async (client) => {
    const records = await found(client, access, [table], text, limit);
    const suggestions: Suggestion[] = [];
    for (const field of table.fields.filter(isShown))
      suggestions.push(...(await suggestionsOf(client, access, field, text)));
    // Two records of one name are one condition.
    const once = [...new Map(suggestions.map((one) => [one.filter, one])).values()].sort(
      (a, b) => Number(a.near) - Number(b.near),
    );
    return { records, suggestions: once.slice(0, limit) };
  });
}

const mostOfField = 3;

async function suggestionsOf(
  client: Client,
  access: WorkspaceAccess,
  field: Field,
  text: string,
): Promise<Suggestion[]> {
  const { model } = access.workspace;
  const low = text.toLowerCase();
  const is = (value: string, filter: string, near = false): Suggestion => ({
    field: field.key,
    label: field.label,
    value,
    filter,
    near,
  });
  const type = shownType(model, field);
  if (type.kind === 'option' || type.kind === 'options')
    return type.options
      .filter(({ label, retired }) => !retired && label.toLowerCase().includes(low))
      .slice(0, mostOfField)
      .map(({ label }) =>
        is(
          label,
          type.kind === 'option' ? `${field.key} = ${quoteText(label)}` : `${quoteText(label)} in (${field.key})`,
        ),
      );
  if (valueTypeOf(field).is === 'member') {
    const { rows } = await client.query<{ name: string }>(
      sql`select name from loom.people where strpos(lower(name), ${low}) > 0 order by name limit 3`,
    );
    return rows.map(({ name }) => is(name, `name_of(${field.key}) = ${quoteText(name)}`));
  }
  const target = linkedTable(model, field)?.table;
  const title = target && target.title !== null ? fieldOf(model, target.title).field : undefined;
  if (
    !target ||
    !title ||
    !isStored(title) ||
    valueTypeOf(title).is !== 'text' ||
    (field.type.kind === 'counterpart' && field.type.over === undefined)
  )
    return [];
  const hits = await found(client, access, [target], text, mostOfField);
  const path = `${field.key}.${title.key}`;
  return hits.map(({ title: name, near }) =>
    is(
      name,
      field.type.kind === 'link'
        ? `${path} = ${quoteText(name)}`
        : `exists(${field.key}) filter (where ${path} = ${quoteText(name)})`,
      near,
    ),
  );
}
