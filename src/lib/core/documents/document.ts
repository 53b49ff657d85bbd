import { bad, good, type Result } from '../base/problem';
import { conditionMissing } from '../flow/dependencies';
import { readAll, type Written } from '../filled/written';
import { turnedPart } from '../summaries/summary';
import { pathIn } from '../summaries/asked';
import {
  markTypes,
  nodeTypes,
  papers,
  type Document,
  type DocumentNode,
  type LabelSheet,
  type NodeAttrs,
  type Paper,
  type PaperName,
} from '../types/document';
import type { Aggregate, Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';
import { attrKinds, tableOver } from './attrs';
import { needed, nodeKinds, nodesIn } from './nodes';

/** More than fits on the pages of one design. */
const mostNodes = 4000;
const mostDepth = 16;
const mostText = 20_000;

const regions = ['header', 'body', 'footer'] as const;

/** Every node of a document, of all its regions. */
const allNodes = (document: Pick<Document, (typeof regions)[number]>): DocumentNode[] =>
  regions.flatMap((region) => [...nodesIn(document[region])]);

/** The links of a repetition as a formula, by which it is known what it reads. */
const countOf = (set: readonly FieldId[]): Aggregate => ({
  do: 'aggregate',
  name: 'count',
  set,
  distinct: false,
  of: null,
  separator: null,
  filter: null,
  order: [],
  type: { is: 'number' },
});

/** What the attributes of one node read. */
export const formulasOfAttrs = ({ formula, when, where, over, sort = [] }: NodeAttrs, model?: Model): Expression[] => [
  ...[formula, when, where].filter((one): one is Expression => one !== null && one !== undefined),
  ...(over ? [countOf(over)] : []),
  ...sort.flatMap((part) => pathIn(model, part)),
];

/** Everything that a document reads. */
export const formulasOfDocument = (document: Document): Expression[] =>
  allNodes(document).flatMap(({ attrs }) => (attrs ? formulasOfAttrs(attrs) : []));

/** Whether a node uses what is not there any more: neither it nor what it holds is filled then. */
export const isGone = (model: Model, { attrs }: DocumentNode): boolean =>
  attrs !== undefined && formulasOfAttrs(attrs, model).some((one) => conditionMissing(model, one) !== undefined);

/** A document with each node as `change` makes it; null takes one away with all it holds. */
export function mapDocument(document: Document, change: (node: DocumentNode) => DocumentNode | null): Document {
  const mapped = (nodes: readonly DocumentNode[]): DocumentNode[] =>
    nodes.flatMap((node) => {
      const changed = change(node);
      if (!changed) return [];
      return [changed.content ? { ...changed, content: mapped(changed.content) } : changed];
    });
  return {
    ...document,
    header: mapped(document.header),
    body: mapped(document.body),
    footer: mapped(document.footer),
  };
}

/** A document with its formulas and fields put otherwise. */
export const turnedDocument = (
  document: Document,
  turned: { readonly formula: (of: Expression) => Expression; readonly field: (id: FieldId) => FieldId },
): Document =>
  mapDocument(document, (node) => {
    if (!node.attrs) return node;
    const { formula, when, where, over, sort } = node.attrs;
    return {
      ...node,
      attrs: {
        ...node.attrs,
        ...(formula ? { formula: turned.formula(formula) } : {}),
        ...(when ? { when: turned.formula(when) } : {}),
        ...(where ? { where: turned.formula(where) } : {}),
        ...(over ? { over: over.map(turned.field) } : {}),
        ...(sort ? { sort: sort.map((part) => turnedPart(part, turned.field)) } : {}),
      },
    };
  });

/** The nodes that stand in a node are over this table. */
const tableIn = (model: Model, table: Table, { over }: NodeAttrs): Table | undefined =>
  over ? tableOver(model, table, over) : table;

// --- written ----------------------------------------------------------------------------------------------------------

/** The attributes of which the value is over the table that a repetition leads to, and not over its own. */
const within: ReadonlySet<string> = new Set<keyof NodeAttrs>(['where', 'sort', 'when']);

function printNode(model: Model, table: Table | undefined, node: DocumentNode, lost: () => void): Written {
  const { type, attrs = {}, content, text, marks } = node;
  const inner = table && tableIn(model, table, attrs);
  const printed: Record<string, unknown> = {};
  for (const name of nodeKinds[type].attrs) {
    const value = attrs[name];
    if (value === undefined) continue;
    const over = within.has(name) ? inner : table;
    // The registry maps each name to its own value, which TypeScript cannot follow through a union.
    const kind = attrKinds[name] as (typeof attrKinds)['alt'];
    const json = over && kind.print(model, over, value as never);
    if (json === undefined) {
      printed.lost = true;
      lost();
    } else printed[name] = json;
  }
  return {
    type,
    ...(nodeKinds[type].attrs.length > 0 ? { attrs: printed } : {}),
    ...(content ? { content: content.map((one) => printNode(model, inner, one, lost)) } : {}),
    ...(text === undefined ? {} : { text }),
    ...(marks && marks.length > 0 ? { marks } : {}),
  };
}

/** A document as programs write it, and how many of its nodes use what is gone; these say `lost`. */
export function printDocument(model: Model, table: Table, document: Document): { json: Written; lost: number } {
  let lost = 0;
  const print = (nodes: readonly DocumentNode[]) => nodes.map((node) => printNode(model, table, node, () => lost++));
  const { label, description, paper, labels, header, body, footer } = document;
  const json = {
    label,
    description,
    paper,
    labels,
    header: print(header),
    body: print(body),
    footer: print(footer),
  };
  return { json, lost };
}

interface Reading {
  readonly model: Model;
  nodes: number;
}

function readAttrs({ model }: Reading, table: Table, { type, attrs: given }: Written, at: string): Result<NodeAttrs> {
  const json = (given ?? {}) as Written;
  const attrs: Record<string, unknown> = {};
  const kind = nodeKinds[type as DocumentNode['type']];
  let inner = table;
  // What leads elsewhere is read first.
  for (const name of [...kind.attrs].sort((a, b) => Number(within.has(a)) - Number(within.has(b)))) {
    if (json[name] === undefined) continue;
    const read = attrKinds[name].read(model, within.has(name) ? inner : table, json[name], `${at}/attrs/${name}`);
    if (!read.ok) return read;
    attrs[name] = read.value;
    if (name === 'over') inner = tableOver(model, table, (read.value ?? []) as FieldId[]) ?? table;
  }
  return good(attrs);
}

/** One node with all it holds; null where it stood for what is gone. */
function readNode(
  reading: Reading,
  table: Table,
  json: Written,
  at: string,
  group: string,
  depth = 0,
): Result<DocumentNode | null> {
  if (typeof json !== 'object' || json === null) return bad('This is no part of a document.', 'See the guide.', at);
  const type = nodeTypes.find((one) => one === json.type);
  if (!type || nodeKinds[type].group !== group)
    return bad(`“${String(json.type)}” cannot stand here.`, 'See what stands where in the guide.', `${at}/type`);
  if (++reading.nodes > mostNodes) return bad(`A document has ${mostNodes} parts at most.`, 'Make two of it.', at);
  if (depth > mostDepth) return bad('Too many parts stand within each other here.', 'Take one away.', at);
  if ((json.attrs as Written | undefined)?.lost === true) return good(null);
  const attrs = readAttrs(reading, table, json, at);
  if (!attrs.ok) return attrs;
  const must = needed[type];
  if (must && !attrs.value[must])
    return bad('A field, a repetition or a condition is not chosen yet.', 'Choose it, or take it away.', `${at}/attrs`);
  const { holds } = nodeKinds[type];
  const inner = tableIn(reading.model, table, attrs.value) ?? table;
  const content = holds
    ? readAll(json.content, `${at}/content`, (one, place) => readNode(reading, inner, one, place, holds, depth + 1))
    : good([]);
  if (!content.ok) return content;
  const text = type !== 'text' ? undefined : typeof json.text === 'string' ? json.text : '';
  if (text && text.length > mostText)
    return bad(`A piece of text has ${mostText.toLocaleString('en')} characters at most.`, 'Part it.', `${at}/text`);
  if (text === '') return good(null);
  const given = (Array.isArray(json.marks) ? json.marks : []) as readonly (Written | null)[];
  const marks = markTypes.filter((one) => given.some((mark) => mark?.type === one)).map((one) => ({ type: one }));
  const held = content.value.filter((one) => one !== null);
  // A table without rows, a list without items: what they held is gone.
  if (held.length === 0 && holds && holds !== 'inline' && holds !== 'block') return good(null);
  return good({
    type,
    ...(Object.keys(attrs.value).length > 0 ? { attrs: attrs.value } : {}),
    ...(holds ? { content: held } : {}),
    ...(text === undefined ? {} : { text }),
    ...(marks.length > 0 ? { marks } : {}),
  });
}

const finite = (value: unknown, least: number, most: number, otherwise: number): number =>
  typeof value === 'number' && value >= least && value <= most ? value : otherwise;

export const plainPaper: Paper = { size: 'A4', landscape: false, margins: [20, 20, 20, 20] };

/** Width and height of a page in millimetres, as it lies. */
export const pageSize = ({ size, landscape }: Paper): readonly [number, number] => {
  const [short, long] = papers[size];
  return landscape ? [long, short] : [short, long];
};

function readPaper(json: unknown): Result<Paper> {
  const given = (json ?? {}) as Written;
  const size = (Object.keys(papers) as PaperName[]).find((one) => one === given.size) ?? plainPaper.size;
  const all = Array.isArray(given.margins) ? (given.margins as unknown[]) : [];
  const [top = 20, right = 20, bottom = 20, left = 20] = [0, 1, 2, 3].map((side) => finite(all[side], 0, 80, 20));
  const paper: Paper = { size, landscape: given.landscape === true, margins: [top, right, bottom, left] };
  const [width, height] = pageSize(paper);
  return width - left - right >= 20 && height - top - bottom >= 20
    ? good(paper)
    : bad('The margins leave no room on the paper.', 'Make them smaller.', '/paper/margins');
}

function readLabels(json: unknown, paper: Paper): Result<LabelSheet | null> {
  if (json === null || json === undefined) return good(null);
  const given = json as Written;
  const width = finite(given.width, 5, 400, 60);
  const height = finite(given.height, 5, 400, 30);
  const sheet = {
    columns: Math.floor(finite(given.columns, 1, 20, 3)),
    rows: Math.floor(finite(given.rows, 1, 50, 8)),
    width,
    height,
    across: finite(given.across, width, 400, width),
    down: finite(given.down, height, 400, height),
  };
  const [wide, high] = pageSize(paper);
  const [top, , , left] = paper.margins;
  const right = left + (sheet.columns - 1) * sheet.across + width;
  const bottom = top + (sheet.rows - 1) * sheet.down + height;
  return right <= wide + 0.5 && bottom <= high + 0.5
    ? good(sheet)
    : bad(
        `${sheet.columns} by ${sheet.rows} labels need ${Math.ceil(right)} by ${Math.ceil(bottom)} mm; the paper has ${wide} by ${high}.`,
        'Make fewer or smaller labels, or a smaller margin.',
        '/labels',
      );
}

/** Reads what `printDocument` wrote; the first problem, with its place. What says `lost` is left out. */
export function readDocument(model: Model, table: Table, id: string, json: Written): Result<Document> {
  const reading: Reading = { model, nodes: 0 };
  const found: Record<string, DocumentNode[]> = {};
  for (const region of regions) {
    const read = readAll(json[region], `/${region}`, (one, at) => readNode(reading, table, one, at, 'block'));
    if (!read.ok) return read;
    found[region] = read.value.filter((one) => one !== null);
    if (region === 'body' && [...nodesIn(found.body ?? [])].some(({ type }) => type === 'pageNumber'))
      return bad('A page number stands in the header or the footer.', 'Take it away from the page itself.', '/body');
  }
  const paper = readPaper(json.paper);
  if (!paper.ok) return paper;
  const labels = readLabels(json.labels, paper.value);
  if (!labels.ok) return labels;
  return good({
    id,
    label: String(json.label ?? '').trim(),
    description: String(json.description ?? '').trim(),
    paper: paper.value,
    labels: labels.value,
    header: found.header ?? [],
    body: found.body ?? [],
    footer: found.footer ?? [],
  });
}
