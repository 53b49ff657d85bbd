import type { DocumentNode, NodeAttrs, NodeType } from '../types/document';

type Group = 'block' | 'inline' | 'item' | 'row' | 'cell';

interface NodeKind {
  /** Where it can stand. */
  readonly group: Group;
  /** What it holds; nothing unless said. */
  readonly holds?: Group;
  readonly attrs: readonly (keyof NodeAttrs)[];
}

/** The registry: each kind of node stands here once. What an attribute is stands in `attrs.ts`. */
export const nodeKinds: Readonly<Record<NodeType, NodeKind>> = {
  paragraph: { group: 'block', holds: 'inline', attrs: ['textAlign'] },
  heading: { group: 'block', holds: 'inline', attrs: ['textAlign', 'level'] },
  bulletList: { group: 'block', holds: 'item', attrs: [] },
  orderedList: { group: 'block', holds: 'item', attrs: [] },
  listItem: { group: 'item', holds: 'block', attrs: [] },
  table: { group: 'block', holds: 'row', attrs: ['lines'] },
  tableRow: { group: 'row', holds: 'cell', attrs: ['over', 'where', 'sort', 'when'] },
  tableHeader: { group: 'cell', holds: 'block', attrs: ['colspan', 'colwidth'] },
  tableCell: { group: 'cell', holds: 'block', attrs: ['colspan', 'colwidth'] },
  horizontalRule: { group: 'block', attrs: [] },
  pageBreak: { group: 'block', attrs: [] },
  picture: { group: 'block', attrs: ['file', 'formula', 'width', 'alt', 'textAlign'] },
  code: { group: 'block', attrs: ['formula', 'width', 'textAlign'] },
  repeat: { group: 'block', holds: 'block', attrs: ['over', 'where', 'sort'] },
  part: { group: 'block', holds: 'block', attrs: ['when'] },
  text: { group: 'inline', attrs: [] },
  field: { group: 'inline', attrs: ['formula'] },
  pageNumber: { group: 'inline', attrs: ['count'] },
  hardBreak: { group: 'inline', attrs: [] },
};

/** Nodes that stand for nothing without what this attribute says; elsewhere it may be left out. */
export const needed: Readonly<Partial<Record<NodeType, keyof NodeAttrs>>> = {
  field: 'formula',
  repeat: 'over',
  part: 'when',
};

/** All nodes in these, each before what it holds. */
export function* nodesIn(nodes: readonly DocumentNode[]): Generator<DocumentNode> {
  for (const node of nodes) {
    yield node;
    if (node.content) yield* nodesIn(node.content);
  }
}
