import { dependenciesOf } from '../flow/dependencies';
import { feedOf } from '../flow/feeds';
import { shownType } from '../formula/shownType';
import { fieldOf, tableOf, typeAs } from '../model/model';
import type { Change } from '../types/change';
import type { Expression } from '../types/expression';
import { newId, type FieldId, type TableId } from '../types/identity';
import type { Model } from '../types/model';
import { changesToRemoveField } from './linkPlans';

const reads = (model: Model, formula: Expression, links: ReadonlySet<FieldId>): boolean =>
  dependenciesOf(model, formula).on.some(({ path, field }) => links.has(field) || path.some((step) => links.has(step)));

/**
 * Ends a feed: its records stay, with what they show of their sources as values that people enter from then on, and with
 * links to the records that they stood for.
 */
export function changesToEndFeed(model: Model, id: TableId): Change[] {
  const table = tableOf(model, id);
  const feed = feedOf(table);
  if (!feed) return [];
  const links = new Set(feed.sources.map(({ link }) => link));
  return [
    { do: 'removePart', kind: 'feed', table: id, part: feed.id },
    ...table.fields.flatMap((field): Change[] =>
      field.type.kind === 'formula' && reads(model, field.type.formula, links)
        ? [{ do: 'changeField', table: id, field: field.id, set: { type: shownType(model, field) }, keep: newId('k') }]
        : [],
    ),
    ...table.fields.flatMap((field): Change[] => {
      if (!links.has(field.id)) return [];
      const { fed: _, ...type } = typeAs(field, 'link');
      return [{ do: 'changeField', table: id, field: field.id, set: { type: { ...type, onDelete: 'clear' } } }];
    }),
  ];
}

/**
 * Takes a source out of a feed: its records leave, its link goes, and what fields show of it goes from their formulas.
 * The feed ends with its last source.
 */
export function changesToRemoveSource(model: Model, id: TableId, link: FieldId): Change[] {
  const table = tableOf(model, id);
  const feed = feedOf(table);
  if (!feed?.sources.some((source) => source.link === link)) return [];
  const sources = feed.sources.filter((source) => source.link !== link);
  if (sources.length === 0) return changesToEndFeed(model, id);
  const gone = new Set([link]);
  const bare = table.fields.flatMap(({ id: field, type }): Change[] => {
    if (type.kind !== 'formula' || type.formula.do !== 'case') return [];
    const whens = type.formula.whens.filter(({ when, then }) => ![when, then].some((one) => reads(model, one, gone)));
    if (whens.length === type.formula.whens.length) return [];
    return whens.length === 0
      ? [{ do: 'removeField', table: id, field }]
      : [{ do: 'changeField', table: id, field, set: { type: { ...type, formula: { ...type.formula, whens } } } }];
  });
  const removed = changesToRemoveField(model, fieldOf(model, link).field, id);
  const left = new Set(bare.flatMap((one) => (one.do === 'removeField' ? [one.field] : [])));
  const twoWays = feed.twoWays.filter((field) => !left.has(field));
  return [
    ...(table.title !== null && bare.some((one) => one.do === 'removeField' && one.field === table.title)
      ? [{ do: 'changeTable', table: id, set: { title: null } } as const]
      : []),
    ...bare,
    // By then what is typed into shows nothing of the source any more.
    { do: 'changePart', kind: 'feed', table: id, part: { ...feed, sources, twoWays } },
    ...removed,
  ];
}
