import { rightsOver, standingReach } from '$core/access/rights';
import { dependenciesOf } from '$core/flow/dependencies';
import { findField, findTable, linkedTable } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import type { Reach, RecordRight } from '$core/types/role';
import { conditionOverAll } from '../access/recordCuts';
import { seeing, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { refuse, type Refusal } from '../base/refusal';
import { identifier, join, raw, sql, type Sql } from '../base/sql';
import type { Client } from '../database/pool';
import { prepared, statementEpoch } from '../sql/statement';
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
    const changed = update.map(({ id }) => id);
    await requireStanding(client, access, table, changed, rights.change, 'change');
    await requireStanding(client, access, table, remove, rights.delete, 'delete');
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
    await requireReached(client, access, table, inserted[at] ?? [], [rights.enter]);
    const written = new Set(update.flatMap(({ values }) => [...values.keys()]));
    const either = [rights.enter, rights.change];
    if (either.some((reach) => mayTurn(access, reach, written)))
      await requireReached(
        client,
        access,
        table,
        update.map(({ id }) => id),
        either,
      );
  }
}

/**
 * Whether what was written can make a condition hold, or no longer hold, for the records themselves: it reads a field
 * that was written, or one that is calculated.
 */
function mayTurn({ whole }: WorkspaceAccess, reach: Reach, written: ReadonlySet<FieldId>): boolean {
  if (typeof reach !== 'object') return false;
  return dependenciesOf(whole.model, reach).on.some(
    ({ path, field }) =>
      [...path, field].some((id) => written.has(id)) || findField(whole.model, field)?.field.type.kind === 'formula',
  );
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

/**
 * Refuses records that the person does not see, in the words for one that is gone, and those that they see and that their
 * right does not reach.
 */
async function requireStanding(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  reach: Reach,
  right: 'change' | 'delete',
): Promise<void> {
  const cut = access.cuts?.of.get(table.id);
  if (ids.length === 0 || (cut === undefined && typeof reach !== 'object')) return;
  const seen = cut === undefined ? raw('true') : sql`exists (select from ${raw(cut)} s where s._id = i.id)`;
  const { rows } = await prepared(
    client,
    sql`select i.place, ${seen} as seen, ${metBy(access, table, [reach])} as met from ${those(ids)}`,
    statementEpoch(access.whole),
  );
  const first = rows.find(({ seen: isSeen, met }) => isSeen !== true || met !== true);
  if (first === undefined) return;
  const at = Number(first.place);
  if (first.seen !== true)
    throw refuse(
      409,
      `Record ${ids[at]} of ${table.label} was deleted meanwhile.`,
      'Bring it back from History first.',
    );
  throw outOfReach(table, right, at, ids.length);
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

/** Refuses where one of these records, as it was written, is none that any of these rights to enter reaches. */
async function requireReached(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  reaches: readonly Reach[],
): Promise<void> {
  if (ids.length === 0 || reaches.includes('all')) return;
  const { rows } = await prepared(
    client,
    sql`select i.place, ${metBy(access, table, reaches)} as met from ${those(ids)}`,
    statementEpoch(access.whole),
  );
  const first = rows.find(({ met }) => met !== true);
  if (first !== undefined) throw outOfReach(table, 'enter', Number(first.place), ids.length);
}

/** Records with their places, in order; one by itself, as of an array's length PostgreSQL knows nothing. */
const those = (ids: readonly number[]): Sql =>
  ids.length === 1
    ? sql`(values (${ids[0]}::bigint, 0)) i(id, place)`
    : sql`(select id, n - 1 as place from unnest(${ids}::bigint[]) with ordinality u(id, n)) i order by i.place`;

/** The condition that the record `i.id` is one that any of these rights reaches, over everything. */
function metBy(access: WorkspaceAccess, table: Table, reaches: readonly Reach[]): Sql {
  const standing = reaches.map((one) => standingReach(access.whole.model, one));
  if (standing.includes('all')) return raw('true');
  const met = standing.flatMap((one): Sql[] => {
    if (typeof one !== 'object') return [];
    const { where, joins } = conditionOverAll(access.whole, access.viewer, table, one, 'k');
    return [
      sql`exists (select from ${tableSql(access.whole, table)} k ${raw(joins)} where k._id = i.id and ${raw(where)})`,
    ];
  });
  return met.length > 0 ? join(met, ' or ') : raw('false');
}

function outOfReach(table: Table, right: keyof typeof words, at: number, of: number): Refusal {
  const which = of > 1 ? ` (record ${at + 1} of what was sent)` : '';
  return refuse(
    403,
    `You may ${words[right].replace('records', 'some records')} only in ${table.label}, and this is none of them${which}.`,
    'Ask an administrator of the workspace what your role reaches.',
    `/records/${at}`,
  );
}
