import { getSchema } from '@tiptap/core';
import { describe, expect, test } from 'vitest';
import { nodeKinds } from '$core/documents/nodes';
import { nodeTypes } from '$core/types/document';
import { nodesOf, toEditor, type NodeJson } from './editorJson';
import { extensionsOf } from './nodes';

const schema = getSchema(extensionsOf({ formula: (said) => said, over: (said) => said, picture: (file) => file }));
const words = (text: string): NodeJson => ({ type: 'paragraph', attrs: {}, content: [{ type: 'text', text }] });
const cell = (width: number, text: string): NodeJson => ({
  type: 'tableCell',
  attrs: { colwidth: [width] },
  content: [words(text)],
});

describe('an editor holds what the API has', () => {
  test('every kind of node, with all that it can say', () => {
    for (const type of nodeTypes) {
      const node = schema.nodes[type];
      expect(node, type).toBeDefined();
      for (const name of nodeKinds[type].attrs) expect(Object.keys(node?.spec.attrs ?? {}), type).toContain(name);
    }
  });

  const documents: readonly [string, readonly NodeJson[]][] = [
    [
      'words and fields',
      [
        { type: 'heading', attrs: { textAlign: 'right', level: 1 }, content: [{ type: 'text', text: 'Note' }] },
        {
          type: 'paragraph',
          attrs: {},
          content: [
            { type: 'text', text: 'To ', marks: [{ type: 'bold' }, { type: 'italic' }] },
            { type: 'field', attrs: { formula: 'customer.name' }, marks: [{ type: 'bold' }] },
            { type: 'hardBreak' },
          ],
        },
      ],
    ],
    [
      'parts within parts',
      [
        {
          type: 'repeat',
          attrs: { over: 'lines', where: 'jars > 1', sort: '-jars' },
          content: [{ type: 'part', attrs: { when: 'jars > 3' }, content: [words('many')] }],
        },
        { type: 'bulletList', content: [{ type: 'listItem', content: [words('one')] }] },
      ],
    ],
    [
      'things',
      [
        { type: 'picture', attrs: { file: 'a'.repeat(64), width: 20, alt: 'sign', textAlign: 'center' } },
        { type: 'code', attrs: { width: 30, textAlign: 'left' } },
        { type: 'horizontalRule' },
        { type: 'pageBreak' },
      ],
    ],
    [
      'a table',
      [
        {
          type: 'table',
          attrs: { lines: true },
          content: [{ type: 'tableRow', attrs: { over: 'lines' }, content: [cell(250, 'a'), cell(750, 'b')] }],
        },
      ],
    ],
    ['what uses what was deleted', [{ type: 'repeat', attrs: { lost: true }, content: [words('x')] }]],
  ];
  // What a node says by itself is said in either.
  const bare = (nodes: readonly NodeJson[]) =>
    JSON.parse(JSON.stringify(nodes), (_, value: unknown) =>
      typeof value === 'object' && value !== null && 'textAlign' in value && value.textAlign === 'left'
        ? Object.fromEntries(Object.entries(value).filter(([name]) => name !== 'textAlign'))
        : value,
    ) as unknown;

  test.each(documents)('%s come back as they were', (_, nodes) => {
    const held = schema.nodeFromJSON(toEditor(nodes, 400));
    held.check();
    expect(bare(nodesOf(held.toJSON() as never))).toEqual(bare(nodes));
  });

  test('a region with an empty line alone is none; what an editor knows and a document does not is left', () => {
    expect(nodesOf(toEditor([], 400))).toEqual([]);
    expect(nodesOf({ type: 'doc', content: [{ type: 'blockquote', content: [] }, { type: 'pageBreak' }] })).toEqual([
      { type: 'pageBreak' },
    ]);
  });

  test('tables fill the region they are in, whatever their widths are of', () => {
    const made = toEditor(
      [
        {
          type: 'table',
          attrs: {},
          content: [{ type: 'tableRow', attrs: {}, content: [cell(30, 'a'), cell(10, 'b')] }],
        },
      ],
      800,
    );
    const widths = (made.content?.[0]?.content?.[0]?.content ?? []).map((one) => one.attrs?.colwidth as number[]);
    expect(widths).toEqual([[600], [200]]);
  });
});
