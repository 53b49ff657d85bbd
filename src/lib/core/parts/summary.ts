import { good } from '../base/problem';
import {
  formulasOf,
  formulasOfSummary,
  printSummary,
  readSummary,
  turnedPart,
  turnedSummary,
} from '../summaries/summary';
import type { Summary } from '../types/summary';
import { pathIn } from '../summaries/asked';
import type { PartDescriptor } from './part';

declare module '../types/part' {
  interface PartValues {
    /** A page for everybody, or for some groups; those of one person stand in the catalogue. */
    readonly summary: Summary;
  }
}

/** A block that uses what is gone says so. One that reads what somebody may not see is not there for them. */
export const summary: PartDescriptor<'summary'> = {
  word: 'summary',
  words: 'summaries',
  idPrefix: 'a',
  ofWorkspace: 'structure',
  needs: 'share',
  check: () => good(true),
  conditions: (part) => formulasOfSummary(part),
  keeping: (part, kept) => ({
    ...part,
    blocks: part.blocks.filter((block) => formulasOf(block).every(({ condition }) => kept(condition))),
    filters: part.filters.map((filter) => ({
      ...filter,
      fields: filter.fields.filter(({ field }) => pathIn(undefined, field).every(kept)),
    })),
  }),
  following: (part, { old, now, via = [], turned }) => {
    const path = (one: (typeof part.filters)[number]['fields'][number]['field']) => {
      const moved = turnedPart(one, (id) => (id === old ? now : id));
      return one.field === old && via.length > 0 ? { ...moved, via: [...(moved.via ?? []), ...via] } : moved;
    };
    return turnedSummary(part, { formula: turned, part: path });
  },
  spoken: (part, turn) => ({
    ...part,
    label: turn(part.label),
    description: turn(part.description, 'description'),
    filters: part.filters.map((filter) => ({ ...filter, label: turn(filter.label, 'filter') })),
    blocks: part.blocks.map((block) => ({
      ...block,
      title: turn(block.title, 'title of a block'),
      ...(block.kind === 'text' ? { text: turn(block.text, 'text') } : {}),
    })),
  }),
  blank: () => ({ id: '', label: '', description: '', groups: [], filters: [], blocks: [] }),
  print: (model, _, part) => {
    const { json, lost } = printSummary(model, part);
    return { json: { ...json }, lost };
  },
  read: (model, _, id, json, standing) =>
    readSummary(model, id, json, (block) => standing?.blocks.find((one) => one.id === block)),
};
