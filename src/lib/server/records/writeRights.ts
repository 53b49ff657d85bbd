import { rightsOver, standingReach } from '$core/access/rights';
import { findTable, linkedTable } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import type { Reach, RecordRight } from '$core/types/role';
import { conditionOverAll } from '../access/recordCuts';
import { seeing, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { refuse, type Refusal } from '../base/refusal';
import { identifier, join, raw, sql, type Sql } from '../base/sql';
import type { Client } from '../database/pool';
import type { TableEdits } from './edits';

/** What each right lets somebody do with records, in words. */
const words: Readonly<Record<Exclude<RecordRight, 'see'>, string>> = {
  enter: 'enter records',
  change: 'change records',
  delete: 'delete records',
};

/** The edits that the person themself makes: not the pairs that their links bring, nor what rules of links make of them. */
const ownEdits = (edits: readonly TableEdits[]): readonly TableEdits[] => edits.filter(({ follows }) => !follows);

/**
 * Refuses edits that the person's rights do not allow, before anything is written: in tables, on fields, and on records
 * that stand. A record that they may not see is refused as one that is not there.
 */
export async function requireEditable(
  client: Client,
  access: WorkspaceAccess,
  edits: readonly TableEdits[],
): Promise<void> {
  for (const { table, insert, update, remove } of ownEdits(edits)) {
    const rights = rightsHere(access, table);
    if (!rights) continue;
    const parts = [
      ['enter', insert.length],
      ['change', update.length],
      ['delete', remove.length],
    ] as const;
    for (const [right, count] of parts)
      if (count > 0 && rights[right] === 'none')
        throw refuse(
          403,
          `You may not ${words[right]} in ${tableWords(access, table)}.`,
          'Ask an administrator of the workspace.',
        );
    for (const { values } of [...insert, ...update])
      for (const id of values.keys()) if (rights.fields[id] !== undefined) throw notEntered(access, table, id);
    await requireSeen(client, access, table, [...update.map(({ id }) => id), ...remove]);
    const changed = update.map(({ id }) => id);
    await requireReached(client, access, table, changed, rights.change, 'change');
    await requireReached(client, access, table, remove, rights.delete, 'delete');
    await requireTargetsSeen(client, access, table, [...insert, ...update]);
  }
}

/**
 * Refuses what the person wrote where the records, as they are by then with all that is calculated, are none that they
 * may enter; of a record that they changed it is enough that they may change it still.
 */
export async function requireEntered(
  client: Client,
  access: WorkspaceAccess,
  edits: readonly TableEdits[],
  inserted: readonly (readonly number[])[],
): Promise<void> {
  for (const [at, { table, update, follows }] of edits.entries()) {
    const rights = follows ? null : rightsHere(access, table);
    if (!rights) continue;
    await requireReached(client, access, table, inserted[at] ?? [], rights.enter, 'enter');
    const changed = update.map(({ id }) => id);
    const either: Reach[] = [rights.enter, rights.change];
    if (either.every((reach) => typeof reach === 'object' || reach === 'none'))
      await requireReached(client, access, table, changed, either, 'enter');
  }
}

/** The person's rights in a table; null where nothing there is kept from them. */
function rightsHere(access: WorkspaceAccess, table: Table) {
  const { whole, rights, sights } = access;
  const of = table.home === undefined ? rights : (sights.homes[table.home] ?? null);
  if (of === null || of === 'ends') return null;
  const own = rightsOver(whole.model, of, table);
  const isFree = [own.see, own.enter, own.change, own.delete].every((reach) => reach === 'all');
  return isFree && Object.keys(own.fields).length === 0 && access.cuts === undefined ? null : own;
}

const tableWords = ({ sight }: WorkspaceAccess, { id, label }: Table): string =>
  findTable(sight, id) ? label : 'a table that you may not see';

/** A field that is not seen is refused as one that is not there. */
function notEntered({ sight }: WorkspaceAccess, table: Table, id: string): Refusal {
  const seen = findTable(sight, table.id)?.fields.find((field) => field.id === id);
  return seen
    ? refuse(403, `${seen.label} is seen and not entered by you.`, 'Leave it out.')
    : refuse(403, 'This would change fields that you may not see.', 'Ask an administrator of the workspace.');
}

/** Refuses records that the person does not see, in the words for one that is gone. */
async function requireSeen(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
): Promise<void> {
  if (ids.length === 0 || !access.cuts?.of.has(table.id)) return;
  const missing = await missingAmong(client, access, table, ids);
  if (missing !== undefined)
    throw refuse(
      409,
      `Record ${missing} of ${table.label} was deleted meanwhile.`,
      'Bring it back from History first.',
    );
}

/** The first of some records that the person does not see; undefined where they see all. */
async function missingAmong(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
): Promise<number | undefined> {
  const { rows } = await client.query<{ id: number }>(
    sql`
      select i.id
      from unnest(${[...new Set(ids)]}::bigint[]) with ordinality i(id, place)
      where not exists (select from ${tableSql(seeing(access).workspace, table)} s where s._id = i.id)
      order by i.place limit 1
    `,
  );
  return rows[0]?.id;
}

/** Links to records that the person does not see are refused as those to records that are not there. */
async function requireTargetsSeen(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  records: readonly { readonly id?: number; readonly values: ReadonlyMap<string, unknown> }[],
): Promise<void> {
  for (const link of table.fields.filter(({ type }) => type.kind === 'link')) {
    const target = linkedTable(access.whole.model, link)?.table;
    if (!target || !access.cuts?.of.has(target.id)) continue;
    const ids = records.flatMap(({ values }) => {
      const value = values.get(link.id);
      return typeof value === 'number' ? [value] : [];
    });
    if (ids.length === 0) continue;
    const missing = await missingAmong(client, access, target, ids);
    if (missing !== undefined && !(await pointsThere(client, access, table, link, records, missing)))
      throw refuse(422, `${link.label} points at a record that is not there.`, 'Choose another record.');
  }
}

/** Whether the records that are to point at one point there already: what is left as it was is not looked at. */
async function pointsThere(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  link: Field,
  records: readonly { readonly id?: number; readonly values: ReadonlyMap<string, unknown> }[],
  target: number,
): Promise<boolean> {
  const pointing = records.filter(({ values }) => values.get(link.id) === target);
  if (pointing.some(({ id }) => id === undefined)) return false;
  const { rows } = await client.query<{ n: number }>(
    sql`
      select count(*) as n
      from ${tableSql(access.whole, table)}
      where _id = any(${pointing.map(({ id }) => id)}::bigint[]) and ${identifier(link.key)} = ${target}
    `,
  );
  return rows[0]?.n === pointing.length;
}

/** Refuses where one of these records is none that a right, or any of several, reaches. */
async function requireReached(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  reach: Reach | readonly Reach[],
  right: keyof typeof words,
): Promise<void> {
  const reaches = ([] as Reach[])
    .concat(reach)
    .map((one) => standingReach(access.whole.model, one))
    .filter((one) => one !== 'none');
  if (ids.length === 0 || reaches.includes('all')) return;
  const conditions = reaches.flatMap((one) => (typeof one === 'object' ? [one] : []));
  const met = conditions.map((condition): Sql => {
    const { where, joins } = conditionOverAll(access.whole, access.viewer, table, condition, 'k');
    return sql`
      exists (
        select from ${tableSql(access.whole, table)} k ${raw(joins)} where k._id = i.id and ${raw(where)}
      )
    `;
  });
  const { rows } = await client.query<{ place: number }>(
    sql`
      select i.place - 1 as place
      from unnest(${ids}::bigint[]) with ordinality i(id, place)
      where not (${met.length > 0 ? join(met, ' or ') : raw('false')})
      order by 1 limit 1
    `,
  );
  const [first] = rows;
  if (first === undefined) return;
  const which = ids.length > 1 ? ` (record ${Number(first.place) + 1} of what was sent)` : '';
  throw refuse(
    403,
    right === 'enter'
      ? `You may enter some records only in ${table.label}, and this is none of them${which}.`
      : `You may ${words[right].replace('records', 'some records')} only in ${table.label}, and this is none of them${which}.`,
    'Ask an administrator of the workspace what your role reaches.',
    `/records/${Number(first.place)}`,
  );
}
