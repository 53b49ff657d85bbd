import { feedOf, shownOf } from '$core/flow/feeds';
import { fieldNamed, fieldOf, findField, findTable, tableOf } from '$core/model/model';
import { groupedBy } from '$core/base/grouped';
import type { Feed } from '$core/types/feed';
import type { FieldId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import { tableSql } from '../access/workspaceState';
import { refuse } from '../base/refusal';
import { identifier, join, raw, sql } from '../base/sql';
import type { Writing } from '../records/applyEdits';
import type { RecordEdits } from './edits';

type Update = NonNullable<RecordEdits['update']>[number];

/** Edits of a feed's records: what is written into them, and what into the records that they stand for. */
interface Through {
  readonly own: readonly Update[];
  readonly sources: readonly { readonly table: Table; readonly update: readonly Update[] }[];
}

/** Tells apart what is typed into a feed and meant for its sources, in the fields that are two ways. */
export async function throughFeed(writing: Writing, table: Table, update: readonly Update[]): Promise<Through> {
  const { model } = writing.access.whole;
  const feed = feedOf(tableOf(model, table.id));
  const isMeant = (name: string) => feed?.twoWays.includes(fieldNamed(table, name)?.id ?? '') === true;
  const meant = update.filter(({ values }) => Object.keys(values).some(isMeant));
  if (!feed || meant.length === 0) return { own: update, sources: [] };
  const links = await linksOf(writing, table, feed, meant);
  const sent = meant.flatMap((one) =>
    Object.entries(one.values)
      .filter(([name]) => isMeant(name))
      .map(([name, value]) => ({
        ...meantFor(writing, table, feed, name, links.get(one.id)),
        value,
        place: one.place,
      })),
  );
  const sources = [...groupedBy(sent, ({ source }) => source.id).values()].map((ofTable) => ({
    table: ofTable[0]?.source ?? table,
    update: [...groupedBy(ofTable, ({ record }) => record).values()].map((ofRecord) => ({
      id: ofRecord[0]?.record ?? 0,
      values: Object.fromEntries(ofRecord.map(({ key, value }) => [key, value])),
      ...(ofRecord[0]?.place === undefined ? {} : { place: ofRecord[0].place }),
    })),
  }));
  const own = update.map(({ values, ...one }) => ({
    ...one,
    values: Object.fromEntries(Object.entries(values).filter(([name]) => !isMeant(name))),
  }));
  return { own, sources };
}

/** Which record each of these stands for, by the link of its source. */
async function linksOf(
  { client, access }: Writing,
  table: Table,
  { sources }: Feed,
  update: readonly Update[],
): Promise<ReadonlyMap<number, Readonly<Record<FieldId, number | null>>>> {
  const columns = sources.map(({ link }) => {
    const { key } = fieldOf(access.whole.model, link).field;
    return sql`r.${identifier(key)} as ${identifier(link)}`;
  });
  const { rows } = await client.query<Record<string, number | null>>(sql`
    select ${join([raw('r._id'), ...columns])} from ${tableSql(access.whole, table)} r
    where r._id = any(${update.map(({ id }) => id)}::bigint[])
  `);
  return new Map(rows.map(({ _id, ...links }) => [Number(_id), links]));
}

/** The field of a source that a field of the feed shows, and the record; refused where it is not the person's to change. */
function meantFor(
  { access }: Writing,
  table: Table,
  feed: Feed,
  name: string,
  links: Readonly<Record<FieldId, number | null>> | undefined,
): { readonly source: Table; readonly record: number; readonly key: string } {
  const field = fieldNamed(table, name);
  const link = feed.sources.find((source) => links?.[source.link] != null)?.link;
  const shown = shownOf(tableOf(access.whole.model, table.id), feed, field?.id ?? '')?.get(link ?? '');
  const record = link === undefined ? null : links?.[link];
  if (record == null || shown === undefined)
    throw refuse(422, `${field?.label ?? name} shows no field of this record’s source.`, 'Leave it out.');
  const found = fieldOf(access.whole.model, shown);
  const source = findTable(access.sight, found.table.id);
  const there = found.table.home === undefined ? access.rights : access.sights.homes[found.table.home];
  if (!source || there === undefined || there === 'ends' || !findField(access.sight, shown))
    throw refuse(403, `${field?.label ?? name} is kept in a table that you may not change.`, 'Ask somebody who may.');
  return { source: found.table, record, key: found.field.key };
}
