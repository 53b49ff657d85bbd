import { bad, good, type Result } from '../base/problem';
import { readAll, readTable, tableKey, type Written } from '../filled/written';
import { findTable } from '../model/model';
import { isPathThere, orderPath, printSort, sortPartOf } from '../query/query';
import type { Expression } from '../types/expression';
import type { Model } from '../types/model';
import { newId } from '../types/identity';
import type { Asked, Block, BlockKind, PageFilter, Summary } from '../types/summary';
import type { SortPart } from '../types/view';
import { asks, blockKinds, blockOf } from './blocks';
import { pathIn } from './asked';
import { pageColumns } from './layout';

export const mostBlocks = 40;
const mostFilters = 8;
const mostRows = 400;

/** Everything a block reads, as formulas with their table. */
export function formulasOf(block: Block, model?: Model) {
  const reads = blockOf(block.kind).reads(block, model);
  return reads ? reads.formulas.map((condition) => ({ condition, table: reads.table })) : [];
}

/** A part of an order with its fields put otherwise. */
export const turnedPart = (part: SortPart, turned: (id: string) => string): SortPart => ({
  ...part,
  field: turned(part.field),
  ...(part.via ? { via: part.via.map(turned) } : {}),
});

/** A summary with its formulas and fields put otherwise. */
export function turnedSummary(
  summary: Summary,
  turned: { readonly formula: (of: Expression) => Expression; readonly part: (of: SortPart) => SortPart },
): Summary {
  const asked = <A extends Asked>(block: A): A => ({
    ...block,
    where: block.where && turned.formula(block.where),
    measures: block.measures.map((measure) => ({
      ...measure,
      of: measure.of && turned.formula(measure.of),
      where: measure.where && turned.formula(measure.where),
    })),
    groups: block.groups.map(turned.part),
    period: block.period && { ...block.period, field: turned.part(block.period.field) },
  });
  return {
    ...summary,
    blocks: summary.blocks.map((block): Block => (asks(block) ? asked(block) : block)),
    filters: summary.filters.map((filter) => ({
      ...filter,
      fields: filter.fields.map(({ table, field }) => ({ table, field: turned.part(field) })),
    })),
  };
}

function printFilter(model: Model, { id, label, fields }: PageFilter): Written {
  return {
    id,
    label,
    fields: fields.flatMap(({ table: named, field }) => {
      const table = findTable(model, named);
      return table && isPathThere(model, field)
        ? [{ table: tableKey(table), field: printSort(model, table, [field]) }]
        : [];
    }),
  };
}

/** A summary as programs write it, and in words what of it is gone. */
export function printSummary(
  model: Model,
  { label, description, groups, filters, blocks }: Summary,
): { readonly json: Written; readonly lost: readonly string[] } {
  const lost: string[] = [];
  const json = {
    label,
    description,
    groups,
    filters: filters.map((filter) => printFilter(model, filter)),
    blocks: blocks.map((block) => {
      const gone = blockOf(block.kind).lost(model, block);
      if (gone) lost.push(`“${block.title || blockOf(block.kind).label}”: ${gone}`);
      const { id, kind, title, place } = block;
      return { id, kind, title, place, ...blockOf(kind).print(model, block), ...(gone ? { lost: gone } : {}) };
    }),
  };
  return { json, lost };
}

function readPlace(json: unknown, at: string): Result<Block['place']> {
  const given = (json ?? {}) as Written;
  const [x = -1, y = -1, w = -1, h = -1] = ['x', 'y', 'w', 'h'].map((name) =>
    Number.isInteger(given[name]) ? Number(given[name]) : -1,
  );
  return x >= 0 && y >= 0 && w >= 1 && h >= 1 && x + w <= pageColumns && y + h <= mostRows
    ? good({ x, y, w, h })
    : bad('The block does not stand on the page.', `It has ${pageColumns} columns.`, `${at}/place`);
}

function readBlock(model: Model, json: Written, at: string): Result<Block> {
  const kind = blockKinds.find((one) => one === json.kind) as BlockKind | undefined;
  if (!kind)
    return bad(`There is no block “${String(json.kind)}”.`, `There are ${blockKinds.join(', ')}.`, `${at}/kind`);
  const place = readPlace(json.place, at);
  if (!place.ok) return place;
  const read = blockOf(kind).read(model, json, at);
  if (!read.ok) return read;
  const title = typeof json.title === 'string' ? json.title.trim() : '';
  const id = typeof json.id === 'string' && json.id !== '' ? json.id : newId('a');
  return good({ ...read.value, id, kind, title, place: place.value } as Block);
}

function readFilter(model: Model, json: Written, at: string): Result<PageFilter> {
  const fields = readAll(json.fields, `${at}/fields`, (one, place): Result<PageFilter['fields'][number]> => {
    const table = readTable(model, one.table, `${place}/table`);
    if (!table.ok) return table;
    const path = orderPath(model, table.value, String(one.field));
    if (!path || path.field.type.kind === 'counterpart')
      return bad(
        `${table.value.label} has no field “${String(one.field)}” to filter by.`,
        'Choose another.',
        `${place}/field`,
      );
    return good({ table: table.value.id, field: sortPartOf(path) });
  });
  if (!fields.ok) return fields;
  const label = typeof json.label === 'string' ? json.label.trim() : '';
  if (label === '') return bad('A filter of the page has no name.', 'Write one.', `${at}/label`);
  return good({
    id: typeof json.id === 'string' && json.id !== '' ? json.id : newId('a'),
    label,
    fields: fields.value,
  });
}

/**
 * Reads what `printSummary` wrote; the first problem, with its place. A block that uses what is gone cannot be read:
 * `lostBlock` gives what it was, by its id, null to leave it out, or undefined to refuse it.
 */
export function readSummary(
  model: Model,
  id: string,
  json: Written,
  lostBlock: (id: string) => Block | null | undefined = () => undefined,
): Result<Summary> {
  const found = readAll(json.blocks, '/blocks', (one, at): Result<Block | null> => {
    const stood = typeof one.lost === 'string' ? lostBlock(String(one.id)) : undefined;
    if (stood === undefined) return readBlock(model, one, at);
    const place = stood && readPlace(one.place, at);
    return place === null ? good(null) : place.ok ? good({ ...stood, place: place.value } as Block) : place;
  });
  if (!found.ok) return found;
  const blocks = { value: found.value.filter((one) => one !== null) };
  if (blocks.value.length > mostBlocks)
    return bad(`A summary has ${mostBlocks} blocks at most.`, 'Make two of it.', '/blocks');
  const filters = readAll(json.filters, '/filters', (one, at) => readFilter(model, one, at));
  if (!filters.ok) return filters;
  if (filters.value.length > mostFilters)
    return bad(`A summary has ${mostFilters} filters at most.`, 'Take one away.', '/filters');
  const ids = blocks.value.map((block) => block.id);
  if (new Set(ids).size < ids.length) return bad('Two blocks have one id.', 'Leave the ids out.', '/blocks');
  return good({
    id,
    label: String(json.label ?? '').trim(),
    description: String(json.description ?? '').trim(),
    groups: Array.isArray(json.groups) ? json.groups.filter((one): one is number => Number.isInteger(one)) : [],
    filters: filters.value,
    blocks: blocks.value,
  });
}

/** Everything a summary reads, its page's filters included. */
export const formulasOfSummary = (summary: Summary, model?: Model) => [
  ...summary.blocks.flatMap((block) => formulasOf(block, model)),
  ...summary.filters.flatMap(({ fields }) =>
    fields.map(({ table, field }) => ({
      table,
      condition: pathIn(model, field)[0] as Expression,
    })),
  ),
];
