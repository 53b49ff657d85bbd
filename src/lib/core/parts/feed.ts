import { bad, good, type Result } from '../base/problem';
import { feedOf, heldUp, shownOf } from '../flow/feeds';
import { cycleThrough } from '../flow/graph';
import { conditionMissing, dependsOnViewer } from '../flow/dependencies';
import { readCondition } from '../filled/written';
import { fieldNamed, fieldOf, findTable, isFed, tableNamed } from '../model/model';
import { replaceTable } from '../model/replace';
import type { Feed, FeedSource } from '../types/feed';
import type { FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';
import { standingCondition } from '../views/viewJson';
import type { PartDescriptor } from './part';

declare module '../types/part' {
  interface PartValues {
    /** Keeps the records of its table: a table has one at most. */
    readonly feed: Feed;
  }
}

const pathOf = ({ key, home }: Table): string => (home === undefined ? key : `${home}.${key}`);

function checkSource(model: Model, table: Table, source: FeedSource, at: string): Result<true> {
  const from = findTable(model, source.table);
  if (!from) return bad('A source of the feed is a table that is not there.', 'Choose another table.', `${at}/table`);
  if (from.id === table.id)
    return bad(`${table.label} cannot be fed from itself.`, 'Choose another table.', `${at}/table`);
  const link = table.fields.find(({ id }) => id === source.link);
  if (link?.type.kind !== 'link' || !isFed(link) || link.type.to !== from.id)
    return bad(`${table.label} has no link of a feed to ${from.label}.`, 'Add the source again.', `${at}/link`);
  if (source.where && conditionMissing(model, source.where))
    return bad(`The condition for ${from.label} uses a field that is not there.`, 'Write it again.', `${at}/where`);
  return source.where && dependsOnViewer(source.where)
    ? bad(
        `The condition for ${from.label} would be another for everybody who looks.`,
        'Leave person() out.',
        `${at}/where`,
      )
    : good(true);
}

function check(model: Model, table: Table, part: Feed): Result<true> {
  if (feedOf(table) && feedOf(table)?.id !== part.id)
    return bad(`${table.label} has a feed already.`, 'Add the source to that one.');
  if (part.sources.length === 0) return bad('The feed has no source.', 'Add one, or delete the feed.', '/sources');
  for (const [at, source] of part.sources.entries()) {
    const checked = checkSource(model, table, source, `/sources/${at}`);
    if (!checked.ok) return checked;
    if (part.sources.findIndex(({ link }) => link === source.link) < at)
      return bad('The feed has one link twice.', 'Leave one of the sources out.', `/sources/${at}`);
  }
  const fed: Table = { ...table, parts: { ...table.parts, feed: [part] } };
  const required = heldUp(fed);
  if (required)
    return bad(`“${required.label}” is required, and records of a feed come by themselves.`, 'Let it be blank.');
  const after = replaceTable(model, fed);
  for (const [at, { link }] of part.sources.entries()) {
    const ring = cycleThrough(after, link);
    if (ring)
      return bad(ringWords(after, ring), 'Leave one of these tables or conditions out.', `/sources/${at}`, ring);
  }
  return good(true);
}

/** A ring of feeds and formulas in words, the links of sources as the tables that they lead to. */
function ringWords(model: Model, ring: readonly FieldId[]): string {
  const steps = ring.map((id) => {
    const { field, table } = fieldOf(model, id);
    return isFed(field) ? table.label : `${table.label}.${field.label}`;
  });
  const path = steps.filter((step, at) => step !== steps[at - 1]).join(' ← ');
  return `Which records come would depend on itself: ${path}.`;
}

interface SourceJson {
  readonly table?: unknown;
  readonly link?: unknown;
  readonly where?: unknown;
}

/** What of a feed is gone is passed over: its records stay as they are. */
export const feed: PartDescriptor<'feed'> = {
  word: 'feed',
  words: 'feeds',
  idPrefix: 'a',
  needs: 'design',
  check,
  conditions: ({ sources }) => sources.flatMap(({ where, table }) => (where ? [{ condition: where, table }] : [])),
  // Who may not see what decides on the records sees the records, and no more.
  keeping: (part, kept) => ({ ...part, sources: part.sources.filter(({ where }) => !where || kept(where)) }),
  following: (part, { old, now, own, turned }) => ({
    ...part,
    sources: part.sources.map((source) => ({ ...source, where: source.where && turned(source.where) })),
    twoWays: own ? part.twoWays.map((id) => (id === old ? now : id)) : part.twoWays,
  }),
  blank: () => ({ id: '', label: 'Feed', sources: [], twoWays: [] }),
  print: (model, table, part) => {
    const lost: string[] = [];
    const sources = part.sources.flatMap((source) => {
      const from = findTable(model, source.table);
      const link = table.fields.find(({ id }) => id === source.link);
      const where = from && source.where ? standingCondition(model, from, source.where) : '';
      if (from && link && where !== null) return [{ table: pathOf(from), link: link.key, where }];
      lost.push('one of its sources is gone, or uses a field that is');
      return [];
    });
    // A formula that became another one shows no field of a source any more, and is typed into no longer.
    const plain = part.twoWays.filter((id) => shownOf(table, part, id));
    const twoWays = plain.flatMap((id) => table.fields.find((field) => field.id === id)?.key ?? []);
    return { json: { label: part.label, sources, twoWays }, lost };
  },
  read: (model, table, id, json) => {
    const sources: FeedSource[] = [];
    for (const [at, one] of ((json.sources ?? []) as readonly SourceJson[]).entries()) {
      const place = `/sources/${at}`;
      const from = tableNamed(model, String(one.table));
      if (!from) return bad(`There is no table “${String(one.table)}”.`, 'Use a key from the model.', `${place}/table`);
      const link = fieldNamed(table, String(one.link));
      if (!link) return bad(`${table.label} has no field “${String(one.link)}”.`, undefined, `${place}/link`);
      const where = readCondition(model, from, one.where, `${place}/where`);
      if (!where.ok) return where;
      sources.push({ table: from.id, link: link.id, where: where.value });
    }
    const twoWays: FieldId[] = [];
    for (const [at, key] of ((json.twoWays ?? []) as readonly unknown[]).entries()) {
      const field = fieldNamed(table, String(key));
      if (!field) return bad(`${table.label} has no field “${String(key)}”.`, undefined, `/twoWays/${at}`);
      if (!shownOf(table, { sources }, field.id))
        return bad(
          `${field.label} is not a plain field of a source.`,
          'Only such a field can be typed into.',
          `/twoWays/${at}`,
        );
      twoWays.push(field.id);
    }
    return good({ id, label: String(json.label ?? 'Feed').trim(), sources, twoWays });
  },
};
