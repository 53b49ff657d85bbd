import { isEntered, isToMany, linkedTable, ownTables, tableOf } from '$core/model/model';
import { feedOf } from '$core/flow/feeds';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';
import type { SampleRow, SampleRows } from '$core/types/template';
import type { TableId } from '$core/types/identity';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { asOfNow } from '../database/transaction';
import type { Client, Pool } from '../database/pool';
import { raw, sql } from '../base/sql';
import { tableSql } from '../access/workspaceState';
import { readByIds } from '../query/read';

/** Records that samples are made of, by table and number. */
type Chosen = Map<TableId, Set<number>>;

/** A link's target, or targets, in a value as programs read it. */
const targetsIn = (value: unknown): number[] =>
  (Array.isArray(value) ? value : [value]).flatMap((one: unknown) =>
    typeof one === 'object' && one !== null && 'id' in one ? [Number(one.id)] : [],
  );

/**
 * The newest records of the tables that a template takes, as its samples: about `count` in all, and those that they
 * link to. `taken`: the tables as the template has them. Only what is entered goes along.
 */
export async function standingSamples(
  pool: Pool,
  access: WorkspaceAccess,
  taken: Model,
  left: ReadonlySet<TableId>,
  count: number,
): Promise<SampleRows> {
  const { model } = access.workspace;
  // The records of a feed come from those of its sources.
  const tables = ownTables(taken).filter((table) => !left.has(table.id) && !feedOf(table));
  const each = Math.max(1, Math.floor(count / Math.max(1, tables.length)));
  const reading = asOfNow(pool, async function* (client) {
    const chosen: Chosen = new Map();
    const read = new Map<TableId, Map<number, Readonly<Record<string, unknown>>>>();
    for (const { id } of tables) chosen.set(id, new Set(await newest(client, access, tableOf(model, id), each)));
    // What they link to comes along, over any number of steps, as long as it stays about as many.
    for (let total = 0; ;) {
      await readChosen(client, access, tables, chosen, read);
      const now = [...chosen.values()].reduce((sum, { size }) => sum + size, 0);
      if (now === total || now > count * 2) break;
      total = now;
      for (const table of tables)
        for (const field of linksOf(table))
          for (const values of read.get(table.id)?.values() ?? [])
            for (const target of targetsIn(values[keyHere(model, table, field)]))
              chosen.get(linkedTable(taken, field)?.table.id ?? '')?.add(target);
    }
    yield written(model, taken, tables, read);
  });
  for await (const rows of reading) return rows;
  return {};
}

const linksOf = (table: Table): Field[] => table.fields.filter((field) => field.type.kind === 'link');

const keyHere = (model: Model, table: Table, field: Field): string =>
  tableOf(model, table.id).fields.find(({ id }) => id === field.id)?.key ?? field.key;

async function newest(client: Client, access: WorkspaceAccess, table: Table, count: number): Promise<number[]> {
  const { rows } = await client.query<{ id: number }>(sql`
    select r._id as id from ${tableSql(access.workspace, table)} r order by r._id desc limit ${raw(String(count))}
  `);
  return rows.map(({ id }) => Number(id));
}

async function readChosen(
  client: Client,
  access: WorkspaceAccess,
  tables: readonly Table[],
  chosen: Chosen,
  read: Map<TableId, Map<number, Readonly<Record<string, unknown>>>>,
): Promise<void> {
  for (const table of tables) {
    const known = read.get(table.id) ?? new Map<number, Readonly<Record<string, unknown>>>();
    read.set(table.id, known);
    const ids = [...(chosen.get(table.id) ?? [])].filter((id) => !known.has(id));
    if (ids.length === 0) continue;
    const here = tableOf(access.workspace.model, table.id);
    for (const { id, values } of await readByIds(client, access, here, ids)) known.set(id, values);
  }
}

/** The records as samples: numbered anew from one, in their order, with links among themselves. */
function written(
  model: Model,
  taken: Model,
  tables: readonly Table[],
  read: ReadonlyMap<TableId, ReadonlyMap<number, Readonly<Record<string, unknown>>>>,
): SampleRows {
  const numbers = new Map(
    tables.map(({ id }) => [
      id,
      new Map([...(read.get(id)?.keys() ?? [])].toSorted((a, b) => a - b).map((one, at) => [one, at + 1])),
    ]),
  );
  const rows: Record<string, SampleRow[]> = {};
  for (const table of tables) {
    const fields = table.fields.filter((field) => isEntered(field) && !isFile(field));
    rows[table.key] = [...(numbers.get(table.id) ?? [])].flatMap(([id, number]): SampleRow[] => {
      const values = read.get(table.id)?.get(id);
      if (!values) return [];
      const own = fields.flatMap((field): [string, unknown][] => {
        const value = values[keyHere(model, table, field)];
        const to = linkedTable(taken, field)?.table.id;
        if (value === null || value === undefined) return [];
        if (to === undefined) return [[field.key, value]];
        const found = targetsIn(value).flatMap((target) => numbers.get(to)?.get(target) ?? []);
        return found.length === 0 ? [] : [[field.key, isToMany(field) ? found : found[0]]];
      });
      return [{ _id: number, ...Object.fromEntries(own) }];
    });
  }
  return rows;
}

/** Files stand beside the database, and a template is a text. */
const isFile = ({ type }: Field): boolean =>
  type.kind === 'files' || type.kind === 'pictures' || type.kind === 'member';
