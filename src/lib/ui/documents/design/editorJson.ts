import type { JSONContent } from '@tiptap/core';
import { nodeKinds } from '$core/documents/nodes';
import { markTypes, nodeTypes } from '$core/types/document';

/** A node of a document as the API has it. */
export interface NodeJson {
  readonly type: string;
  readonly attrs?: Readonly<Record<string, unknown>>;
  readonly content?: readonly NodeJson[];
  readonly text?: string;
  readonly marks?: readonly { readonly type: string }[];
}

const isSaid = (value: unknown): boolean => value !== null && value !== undefined;

/** What an editor holds, as the API takes it: of each node what its kind has, in one order. */
function fromEditor({ type = '', attrs = {}, content, text, marks = [] }: JSONContent): NodeJson | null {
  const kind = nodeTypes.find((one) => one === type);
  if (!kind) return null;
  const names = nodeKinds[kind].attrs;
  // One column over which a cell goes is nothing to say.
  const said = [...names, 'lost'].filter(
    (name) => isSaid(attrs[name]) && !(name === 'colspan' && attrs[name] === 1) && attrs[name] !== '',
  );
  const kept = markTypes.filter((one) => marks.some((mark) => mark.type === one));
  return {
    type,
    ...(names.length > 0 ? { attrs: Object.fromEntries(said.map((name) => [name, attrs[name] as unknown])) } : {}),
    ...(nodeKinds[kind].holds ? { content: (content ?? []).flatMap((one) => fromEditor(one) ?? []) } : {}),
    ...(text === undefined ? {} : { text }),
    ...(kept.length > 0 ? { marks: kept.map((one) => ({ type: one })) } : {}),
  };
}

/** All columns of a table together, as they are kept: widths are shares of it. */
const wholeTable = 1000;

const widthOf = ({ attrs }: NodeJson): readonly number[] | null =>
  Array.isArray(attrs?.colwidth) ? (attrs.colwidth as number[]) : null;

/** Nodes with the columns of their tables so wide together; tables of which a column has no width stay as they are. */
function withWidths(nodes: readonly NodeJson[], together: number): NodeJson[] {
  return nodes.map((node) => {
    if (!node.content) return node;
    if (node.type !== 'table') return { ...node, content: withWidths(node.content, together) };
    const first = node.content[0]?.content ?? [];
    const sum = first.flatMap((cell) => widthOf(cell) ?? [Number.NaN]).reduce((all, one) => all + one, 0);
    const scaled = (cell: NodeJson): NodeJson => {
      const widths = widthOf(cell);
      const attrs =
        widths && sum > 0
          ? { ...cell.attrs, colwidth: widths.map((one) => Math.round((one * together) / sum)) }
          : cell.attrs;
      return {
        ...cell,
        ...(attrs ? { attrs } : {}),
        ...(cell.content ? { content: withWidths(cell.content, together) } : {}),
      };
    };
    const content = node.content.map((row) => ({ ...row, content: (row.content ?? []).map(scaled) }));
    return { ...node, content };
  });
}

/** What an editor of a region begins with: a line at least. `width`: of the region in pixels, which its tables fill. */
export const toEditor = (nodes: readonly NodeJson[], width: number): JSONContent => ({
  type: 'doc',
  content: (nodes.length > 0 ? withWidths(nodes, Math.max(width, 100)) : [{ type: 'paragraph' }]) as JSONContent[],
});

/** The nodes of a region; one that holds an empty line alone has none. */
export function nodesOf(document: JSONContent): NodeJson[] {
  const nodes = withWidths(
    (document.content ?? []).flatMap((one) => fromEditor(one) ?? []),
    wholeTable,
  );
  const [only] = nodes;
  return nodes.length === 1 && only?.type === 'paragraph' && (only.content ?? []).length === 0 ? [] : nodes;
}
