import type { FieldId } from '../types/identity';
import { mostGroups, viewOfAll, withWholeView } from '../views/view';
import { bad, good } from '../base/problem';
import { readView, viewJson, type ViewJson } from '../views/viewJson';
import type { SortPart, View } from '../types/view';
import type { PartDescriptor } from './part';

declare module '../types/part' {
  interface PartValues {
    /** A view that everybody has; those of one person stand in the catalogue. */
    readonly view: View;
  }
}

/** Fields that a view names may go later; it passes over what is gone. */
export const view: PartDescriptor<'view'> = {
  word: 'view',
  words: 'views',
  idPrefix: 'v',
  needs: 'share',
  standing: withWholeView,
  check: (_model, _table, { groups }) =>
    groups.length > mostGroups
      ? bad('Records can be grouped by three fields at most.', 'Take one away.', '/groups')
      : good(true),
  conditions: ({ filter, colours }) => [
    ...(filter ? [{ condition: filter }] : []),
    ...colours.map(({ when }) => ({ condition: when })),
  ],
  keeping: (part, kept) => ({
    ...part,
    filter: part.filter && kept(part.filter) ? part.filter : null,
    colours: part.colours.filter(({ when }) => kept(when)),
  }),
  following: (part, { old, now, via = [], own, turned }) => {
    // What is reached over links stands in no column: the link does, once.
    const shown = via[0] ?? now;
    const other = (id: FieldId): FieldId => (id === old ? shown : id);
    const step = (one: SortPart): SortPart => {
      const path = [...(one.via ?? []).map(other), ...(one.field === old ? via : [])];
      return { ...one, field: one.field === old ? now : one.field, ...(path.length > 0 ? { via: path } : {}) };
    };
    const columns = (all: typeof part.columns) =>
      all
        .map((column) => ({ ...column, field: other(column.field) }))
        .filter(({ field }, at, mapped) => field !== shown || mapped.findIndex((one) => one.field === shown) === at);
    return {
      ...part,
      filter: part.filter && turned(part.filter),
      colours: part.colours.map((colour) => ({ ...colour, when: turned(colour.when) })),
      sort: part.sort.map(step),
      groups: part.groups.map(step),
      ...(own
        ? {
            columns: columns(part.columns),
            ...(part.by === undefined ? {} : { by: other(part.by) }),
          }
        : {}),
    };
  },
  blank: () => viewOfAll(),
  print: (model, table, part) => {
    const { view: json, lost } = viewJson(model, table, part);
    return { json: { ...json }, lost };
  },
  read: (model, table, id, json) => readView(model, table, id, json as unknown as ViewJson),
};
