import { sourcesFrom, type StandingSource } from '$core/flow/feeds';
import { fieldOf, isFed, isStored } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { homeOf, tableSql } from '../access/workspaceState';
import { identifier, join, sql, type Sql } from '../base/sql';
import { columnType } from '../sql/column';
import type { Following, TableEdits, WriteDone } from './edits';
import { insertRecords } from './insertRecords';
import { removalEdits } from './removal';
import { removeRecords } from './removeRecords';
import { updateRecords } from './updateRecords';

/** Writes edits without what follows from them; `inserted`: the ids of new records, table by table. */
export async function writeEdits(
  run: Following,
  edits: readonly TableEdits[],
): Promise<WriteDone & { readonly inserted: readonly (readonly number[])[] }> {
  // Records of several tables may point at each other, so their links are checked together at the end.
  if (edits.length > 1) await run.client.query('set constraints all deferred');
  const done: WriteDone[] = [];
  const inserted: (readonly number[])[] = [];
  for (const edit of edits) {
    const updated = await updateRecords(run, edit);
    const made = await insertRecords(run, edit);
    done.push(updated, made);
    inserted.push(made.ids);
  }
  for (const edit of edits) {
    done.push(await leaveFeeds(run, edit.table, edit.remove));
    done.push(await removeRecords(run, edit));
  }
  return { inserted, ...together(done) };
}

/** Takes the records out of feeds that stand for records which are about to be deleted. */
export async function leaveFeeds(run: Following, table: Table, ids: readonly number[]): Promise<WriteDone> {
  const done: WriteDone[] = [];
  if (ids.length > 0)
    for (const source of sourcesFrom(run.workspace.model, table.id))
      done.push(await takeOutWhere(run, source, sql`f.${identifier(source.link.key)} = any(${ids}::bigint[])`));
  return together(done);
}

/** Takes the records of a feed out that meet a condition on `f`. */
export async function takeOutWhere(run: Following, source: StandingSource, where: Sql): Promise<WriteDone> {
  const { rows } = await run.client.query<{ id: number }>(
    sql`select f._id as id from ${tableSql(run.workspace, source.table)} f where ${where} order by 1`,
  );
  const ids = rows.map(({ id }) => id);
  return ids.length > 0 ? takeOut(run, source, ids) : together([]);
}

/** What several steps did, as one. */
export const together = (done: readonly WriteDone[]): WriteDone => ({
  history: done.flatMap(({ history }) => history),
  effects: done.flatMap(({ effects }) => effects),
});

/** The fields of a fed table that are people's, or the system's: what waits with a record that left. */
export const ownFields = (table: Table): readonly Field[] =>
  table.fields.filter((field) => isStored(field) && field.type.kind !== 'formula' && !isFed(field));

/** A field's values are found again under its type as well: what became another type meanwhile is blank. */
export const waitingName = (field: Field): string => `${field.id} ${columnType(field)}`;

/**
 * Takes records out of a feed. What people entered in them waits, and what points at them is treated as its link says of
 * deleted records.
 */
export async function takeOut(
  run: Following,
  { table, link }: Pick<StandingSource, 'table' | 'link'>,
  ids: readonly number[],
): Promise<WriteDone> {
  const { client, workspace, access } = run;
  const pointed = await pointedAt(run, table, ids);
  const what = `${pointed.length === 1 ? 'a record' : `${pointed.length} records`} of ${table.label}`;
  const { cleared, others } =
    pointed.length > 0
      ? await removalEdits(client, { ...access, workspace, whole: workspace }, table, pointed, `This takes out ${what}`)
      : { cleared: [], others: [] };
  const edits = [...cleared, ...others];
  const beside = edits.length > 0 ? await writeEdits(run, edits) : together([]);
  const further = await leaveFeeds(run, table, ids);
  const { history, effects } = await removeRecords(run, { table, insert: [], update: [], remove: ids });
  const own = ownFields(table);
  const kept = history.map(({ first, before }) => ({
    record: first,
    source: before?.[link.id] ?? null,
    values: Object.fromEntries(own.map((field) => [waitingName(field), before?.[field.id] ?? null])),
  }));
  await client.query(sql`
    insert into loom.feed_waiting (workspace, table_id, link_id, source_id, record_id, values)
    select ${homeOf(workspace, table).id}, ${table.id}, ${link.id}, w.*
    from unnest(
      ${kept.map(({ source }) => source)}::bigint[],
      ${kept.map(({ record }) => record)}::bigint[],
      ${kept.map(({ values }) => JSON.stringify(values))}::jsonb[]
    ) w
  `);
  // Its own records are no step of the history.
  return together([beside, further, { history: [], effects }]);
}

/** Those of some records that a link from elsewhere points at. */
async function pointedAt({ client, workspace }: Following, table: Table, ids: readonly number[]): Promise<number[]> {
  const pointing = table.fields.flatMap(({ type }) => {
    if (type.kind !== 'counterpart') return [];
    const { field, table: from } = fieldOf(workspace.model, type.link);
    const link = identifier(field.key);
    return [sql`select ${link} as id from ${tableSql(workspace, from)} where ${link} = any(${ids}::bigint[])`];
  });
  if (pointing.length === 0) return [];
  const { rows } = await client.query<{ id: number }>(sql`${join(pointing, ' union ')} order by 1`);
  return rows.map(({ id }) => id);
}
