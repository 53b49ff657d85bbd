import { counted } from '$core/base/counted';
import { fieldOf, findTable, linkedTable, tableOf } from '$core/model/model';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import type { CopyValues } from '$core/types/change';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { tableName } from '../../access/workspaceState';
import { textSql } from '../../fieldTypes/registry';
import { copyValues as copy } from '../copyValues';
import { nearMissesOf } from '../nearMisses';
import { durationOf, type Counted, type Counting } from './counting';
import type { StoredChange } from './descriptor';
import { raw, sql } from '../../base/sql';

export const copyValues: StoredChange<CopyValues> = {
  worksLong: () => true,
  async work(change, { client, access }) {
    const { fields, history, aside, settles } = await copy(client, access, change);
    return {
      effects: [{ changed: fields.map((field) => [field, 'all'] as const) }],
      history,
      aside,
      settled: settles ? [settles] : [],
    };
  },
  counts: copiedValues,
};

/**
 * How many options that no record uses become records of the target as well: those that none of its records says yet.
 */
async function unusedOptions(
  { client, access, table }: Counting,
  from: Field,
  target: Table | undefined,
  match: Field | undefined,
): Promise<number> {
  if ((from.type.kind !== 'option' && from.type.kind !== 'options') || !table.fields.some(({ id }) => id === from.id))
    return 0;
  const used = `
    select ${from.type.kind === 'options' ? `unnest(r.${quoteIdentifier(from.key)})` : `r.${quoteIdentifier(from.key)}`}
    from ${tableName(access.workspace, table)} r
  `;
  const known = match && target?.fields.find(({ id }) => id === match.id);
  const said =
    known && target
      ? `
        select loom.trimmed(
          ${textSql(`x.${quoteIdentifier(known.key)}`, shownType(access.workspace.model, known))}
        )
        from ${tableName(access.workspace, target)} x
      `
      : null;
  const { rows } = await client.query<{ n: number }>(
    sql`
      select count(*) as n
      from unnest(
        ${from.type.options.map(({ id }) => id)}::text[],
          ${from.type.options.map(({ label }) => label)}::text[]
      ) o(id, label)
      where o.id not in (
        select u from (${raw(used)}) s(u) where u is not null
      )${raw(said ? ` and o.label not in (select w from (${said}) s(w) where w is not null)` : '')}
    `,
  );
  return rows[0]?.n ?? 0;
}

/** How many texts find their record, and what may be meant by the others. */
async function copiedValues(change: CopyValues, counting: Counting): Promise<Counted> {
  const { after } = counting;
  const to = fieldOf(after, change.to).field;
  const target = linkedTable(after, to)?.table;
  const from = fieldOf(after, change.from).field;
  if (!target || change.match === undefined || from.type.kind === 'link')
    return { duration: await durationOf(counting) };
  const match = tableOf(after, target.id).fields.find(({ id }) => id === change.match);
  // A target that the same plan makes is empty: every text becomes one of its records.
  const standing = findTable(counting.access.workspace.model, target.id);
  const { found, missed, words, nearMisses } = await nearMissesOf(
    counting.client,
    counting.access,
    counting.table,
    from,
    standing ?? null,
    match ?? null,
    change.confirmed ?? {},
  );
  return {
    counts: [
      { what: `values that are a record of ${target.label}`, count: found },
      change.missing === 'create'
        ? {
            what: `new records of ${target.label}, for ${counted(missed, 'value')}`,
            count: words + (await unusedOptions(counting, from, standing, match)),
          }
        : { what: 'values set aside', count: missed },
    ],
    nearMisses,
    duration: await durationOf(counting),
  };
}
