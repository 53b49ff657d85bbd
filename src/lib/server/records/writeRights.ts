import { rightsOver, standingReach } from '$core/access/rights';
import { dependenciesOf } from '$core/flow/dependencies';
import { findField, findTable, linkedTable } from '$core/model/model';
import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import type { Reach, RecordRight } from '$core/types/role';
import { conditionOverAll } from '../access/recordCuts';
import type { WorkspaceAccess } from '../access/workspaceAccess';
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
    requireWritable(access, table, { insert, update, remove });
    const rights = rightsHere(access, table);
    if (!rights) continue;
    for (const { values } of [...insert, ...update])
      for (const id of values.keys()) if (rights.fields[id] !== undefined) throw notEntered(access, table, id);
    const changed = update.map(({ id }) => id);
    await requireStanding(client, access, table, changed, rights.change, 'change');
    await requireStanding(client, access, table, remove, rights.delete, 'delete');
    await requireTargetsSeen(client, access, table, [...insert, ...update]);
  }
}

/** Refuses edits of a kind that the person may make with no record of a table. */
export function requireWritable(
  access: WorkspaceAccess,
  table: Table,
  { insert = [], update = [], remove = [] }: { readonly [K in 'insert' | 'update' | 'remove']?: readonly unknown[] },
): void {
  const rights = rightsHere(access, table);
  const parts = [
    ['enter', insert],
    ['change', update],
    ['delete', remove],
  ] as const;
  for (const [right, sent] of parts)
    if (sent.length > 0 && rights?.[right] === 'none')
      throw refuse(
        403,
        `You may not ${words[right]} in ${tableWords(access, table)}.`,
        'Ask an administrator of the workspace.',
      );
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
    if (table.pairs || either.some((reach) => mayTurn(access, reach, written)))
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
  const isOpen = Object.keys(own.fields).length === 0 && access.cuts === undefined;
  return isFree && isOpen && !(table.pairs && isLookedAt(access, table, ['all'])) ? null : own;
}

/** Whether something of a table is kept from the person, so that what they write there is looked at. */
export const isKeptFromSome = (access: WorkspaceAccess, table: Table): boolean => rightsHere(access, table) !== null;

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
  if (ids.length === 0 || (cut === undefined && !isLookedAt(access, table, [reach]))) return;
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

/**
 * Links to records that the person does not see are refused as those to records that are not there; what is left as it
 * was is not looked at.
 */
async function requireTargetsSeen(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  records: readonly { readonly id?: number; readonly values: ReadonlyMap<FieldId, unknown> }[],
): Promise<void> {
  for (const link of table.fields.filter(({ type }) => type.kind === 'link')) {
    const target = linkedTable(access.whole.model, link)?.table;
    const cut = target && access.cuts?.of.get(target.id);
    const pointing = records.filter(({ values }) => typeof values.get(link.id) === 'number');
    if (cut === undefined || pointing.length === 0) continue;
    const { rows } = await client.query(
      sql`
        select from unnest(
          ${pointing.map(({ id }) => id ?? null)}::bigint[], ${pointing.map(({ values }) => values.get(link.id))}::bigint[]
        ) i(id, target)
        where not exists (select from ${raw(cut)} s where s._id = i.target)
          and not exists (
            select from ${tableSql(access.whole, table)} r
            where r._id = i.id and r.${identifier(link.key)} = i.target
          )
        limit 1
      `,
    );
    if (rows.length > 0)
      throw refuse(422, `${link.label} points at a record that is not there.`, 'Choose another record.');
  }
}

/** Refuses where one of these records, as it was written, is none that any of these rights to enter reaches. */
async function requireReached(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  reaches: readonly Reach[],
): Promise<void> {
  if (ids.length === 0 || !isLookedAt(access, table, reaches)) return;
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

/** The records that a pair links, each with its link and the rights to enter and change it. */
const sidesOf = ({ whole, rights }: WorkspaceAccess, pairs: Table) =>
  pairs.fields.flatMap((link) => {
    const side = link.type.kind === 'link' ? linkedTable(whole.model, link)?.table : undefined;
    if (!side || side.home !== pairs.home) return [];
    const { enter, change } = rightsOver(whole.model, rights, side);
    return [{ link, side, reaches: [enter, change] }];
  });

/** Whether records have to be looked at for a right to reach them. Pairs go by the records that they link. */
const isLookedAt = (access: WorkspaceAccess, table: Table, reaches: readonly Reach[]): boolean =>
  table.pairs ? !sidesOf(access, table).some((side) => side.reaches.includes('all')) : !reaches.includes('all');

/**
 * The condition that the record `id` is one that any of these rights reaches, over everything; that a pair links one
 * that may be entered or changed.
 */
function metBy(access: WorkspaceAccess, table: Table, reaches: readonly Reach[], id = sql`i.id`): Sql {
  const or = (met: readonly Sql[]) => (met.length > 0 ? sql`(${join([...met], ' or ')})` : raw('false'));
  if (table.pairs)
    return or(
      sidesOf(access, table).map(({ link, side, reaches: own }) => {
        const linked = sql`(select p.${identifier(link.key)} from ${tableSql(access.whole, table)} p where p._id = ${id})`;
        return metBy(access, side, own, linked);
      }),
    );
  const standing = reaches.map((one) => standingReach(access.whole.model, one));
  if (standing.includes('all')) return raw('true');
  return or(
    standing.flatMap((one): Sql[] => {
      if (typeof one !== 'object') return [];
      const { where, joins } = conditionOverAll(access.whole, access.viewer, table, one, 'k');
      return [
        sql`exists (select from ${tableSql(access.whole, table)} k ${raw(joins)} where k._id = ${id} and ${raw(where)})`,
      ];
    }),
  );
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
