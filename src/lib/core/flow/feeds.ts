import type { Feed, FeedSource } from '../types/feed';
import type { FieldId, TableId } from '../types/identity';
import { findField, findTable, isEntered, isFed } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import { partsOf } from '../types/part';
import { dependenciesOf, type Dependency } from './dependencies';

/** A source of a feed that stands: all that it names is there. */
export interface StandingSource extends Pick<FeedSource, 'where'> {
  /** The table that is fed. */
  readonly table: Table;
  readonly source: Table;
  readonly link: Field;
  /** What its condition comes from, over a record of the source. */
  readonly on: readonly Dependency[];
}

/** The feed of a table, where it is kept up to date from others. */
export const feedOf = (table: Table): Feed | undefined => partsOf(table, 'feed')[0];

const known = new WeakMap<Model, ReadonlyMap<FieldId, StandingSource>>();

/**
 * The sources of all feeds by their links. One that names what is gone is left out: its records stay as they are until
 * somebody changes it.
 */
export function feedSources(model: Model): ReadonlyMap<FieldId, StandingSource> {
  const ready = known.get(model);
  if (ready) return ready;
  const found = new Map<FieldId, StandingSource>();
  for (const table of model.tables)
    for (const { table: from, link, where } of feedOf(table)?.sources ?? []) {
      const [source, field] = [findTable(model, from), findField(model, link)];
      if (!source || field?.table.id !== table.id) continue;
      const { on, missing } = where ? dependenciesOf(model, where) : { on: [], missing: undefined };
      if (missing === undefined) found.set(link, { table, source, link: field.field, where, on });
    }
  known.set(model, found);
  return found;
}

/** The sources of one table's feed. */
export const sourcesInto = (model: Model, table: TableId): readonly StandingSource[] =>
  [...feedSources(model).values()].filter((one) => one.table.id === table);

/** The sources that take the records of a table. */
export const sourcesFrom = (model: Model, table: TableId): readonly StandingSource[] =>
  [...feedSources(model).values()].filter(({ source }) => source.id === table);

/**
 * What a field of a fed table waits for besides its formula: which records there are. For the link of a source that is
 * its condition and, where the source is fed itself, the links of that feed.
 */
export function feedDependencies(model: Model, id: FieldId): readonly Dependency[] {
  const sources = feedSources(model);
  if (sources.size === 0) return [];
  const own = sources.get(id);
  if (own)
    return [
      ...own.on.map(({ path, field }) => ({ path: [id, ...path], field })),
      ...sourcesInto(model, own.source.id).map(({ link }) => ({ path: [id], field: link.id })),
    ];
  const table = findField(model, id)?.table;
  return table ? sourcesInto(model, table.id).map(({ link }) => ({ path: [], field: link.id })) : [];
}

/** A field that records of a feed would have to be made with, though they come by themselves; null where there is none. */
export const heldUp = (table: Table): Field | null =>
  feedOf(table) ? (table.fields.find(({ required, ...field }) => required !== false && !isFed(field)) ?? null) : null;

/**
 * The fields of the sources that a field of the feed shows as they are, by the links of the sources; null where it works
 * something out of any.
 */
export function shownOf(
  table: Table,
  { sources }: Pick<Feed, 'sources'>,
  id: FieldId,
): ReadonlyMap<FieldId, FieldId> | null {
  const type = table.fields.find((one) => one.id === id)?.type;
  if (type?.kind !== 'formula') return null;
  const shown = type.formula.do === 'case' ? type.formula.whens.map(({ then }) => then) : [type.formula];
  const found = new Map<FieldId, FieldId>();
  for (const one of shown) {
    if (one.do !== 'field' || one.through.length !== 1) return null;
    const [link = ''] = one.through;
    if (!sources.some((source) => source.link === link) || found.has(link)) return null;
    found.set(link, one.field);
  }
  return found;
}

/** Whether people type into a field: what they enter, and what they enter into a source through its feed. */
export function isTypedInto(table: Table, field: Field): boolean {
  if (isEntered(field)) return true;
  const feed = feedOf(table);
  return feed?.twoWays.includes(field.id) === true && shownOf(table, feed, field.id) !== null;
}
