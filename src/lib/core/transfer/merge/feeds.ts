import { feedOf } from '../../flow/feeds';
import type { FeedSource } from '../../types/feed';
import type { Change } from '../../types/change';
import { lineOf, type FollowLine } from '../follow';
import { followed } from '../rewrite';
import type { Carried, Carrying } from './carry';
import { allOf, marked } from './marks';

/** Feeds that take records of merged tables take them of the new one, by the mark that says where they come from. */
export function carriedFeeds({ model, both, transfer, replacements }: Carrying): Carried {
  const changes: Change[] = [];
  const lines: FollowLine[] = [];
  const merged = new Map(transfer.sources.map((source) => [source.table, source]));
  for (const table of model.tables) {
    const feed = feedOf(table);
    if (!feed || merged.has(table.id) || !feed.sources.some((source) => merged.has(source.table))) continue;
    const sources = feed.sources.map((source): FeedSource => {
      const from = merged.get(source.table);
      if (!from) return source;
      const isMarked = marked(both, transfer.mark, from.mark);
      const link = transfer.links.find(({ old }) => old === source.link)?.now ?? source.link;
      if (!source.where) return { table: transfer.to, link, where: isMarked };
      const now = followed(model, both, transfer.to, source.where, replacements, true);
      lines.push(lineOf(model, `the feed “${feed.label}” of ${table.label}`, source.where, now));
      return { table: transfer.to, link, where: now.ok ? allOf([isMarked, now.expression]) : isMarked };
    });
    changes.push({ do: 'changePart', kind: 'feed', table: table.id, part: { ...feed, sources } });
  }
  return { changes, lines };
}
