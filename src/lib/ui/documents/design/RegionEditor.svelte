<script lang="ts">
  import { Editor } from '@tiptap/core';
  import { untrack } from 'svelte';
  import type { NodeJson } from './editorJson';
  import { nodesOf, toEditor } from './editorJson';
  import { extensionsOf, type NodeWords } from './nodes';

  /** One region of a page that is written in: its head, the page itself, or its foot. */
  const {
    label,
    nodes,
    words,
    onchange,
    onhere,
  }: {
    label: string;
    nodes: readonly NodeJson[];
    words: NodeWords;
    onchange: (nodes: NodeJson[]) => void;
    /** One writes here now, or at another place of it. */
    onhere: (editor: Editor) => void;
  } = $props();
  let editor: Editor | null = null;
  /** What the editor holds, as it was told or given. */
  let held = '';

  function begin(element: HTMLElement) {
    const made = untrack(() => {
      held = JSON.stringify(nodes);
      return new Editor({
        element,
        extensions: extensionsOf(words),
        content: toEditor(nodes, element.clientWidth),
        editorProps: { attributes: { 'aria-label': label, role: 'textbox', 'aria-multiline': 'true' } },
        onUpdate: ({ editor: now }) => {
          const next = nodesOf(now.getJSON());
          held = JSON.stringify(next);
          onchange(next);
        },
        onTransaction: ({ editor: now }) => now.isFocused && onhere(now),
        onFocus: ({ editor: now }) => onhere(now),
      });
    });
    editor = made;
    return () => {
      made.destroy();
      editor = null;
    };
  }

  // What was changed elsewhere, by a step back or by somebody else, is shown.
  $effect(() => {
    const now = JSON.stringify(nodes);
    untrack(() => {
      if (!editor || now === held) return;
      held = now;
      editor.commands.setContent(toEditor(nodes, editor.view.dom.clientWidth), { emitUpdate: false });
    });
  });
</script>

<div class="region" {@attach begin}></div>

<style>
  .region :global(.ProseMirror) {
    min-height: 24px;
    outline: none;
    overflow-wrap: anywhere;
  }
  .region :global(p),
  .region :global(h1),
  .region :global(h2),
  .region :global(h3),
  .region :global(ul),
  .region :global(ol) {
    margin: 0 0 6pt;
  }
  .region :global(h1) {
    font-size: 20pt;
    line-height: 1.2;
  }
  .region :global(h2) {
    font-size: 15pt;
    line-height: 1.2;
  }
  .region :global(h3) {
    font-size: 12pt;
  }
  .region :global(ul) {
    padding-left: 16pt;
    list-style: disc;
  }
  .region :global(ol) {
    padding-left: 16pt;
    list-style: decimal;
  }
  .region :global(hr) {
    margin: 6pt 0;
    border: 0;
    border-top: 1px solid var(--line-strong);
  }
  .region :global(table) {
    width: 100%;
    margin: 0 0 6pt;
    table-layout: fixed;
    border-collapse: collapse;
  }
  .region :global(th),
  .region :global(td) {
    position: relative;
    padding: 2pt 4pt;
    text-align: left;
    vertical-align: top;
    border: 1px dotted var(--line-strong);
  }
  .region :global(th) {
    font-weight: 700;
    background: var(--ground);
  }
  .region :global(th p),
  .region :global(td p) {
    margin: 0;
  }
  .region :global(tr.repeated) {
    background: var(--woad-tint);
  }
  .region :global(tr.repeated td:first-child)::before {
    position: absolute;
    top: 0;
    bottom: 0;
    left: -9px;
    width: 5px;
    content: '';
    background: repeating-linear-gradient(180deg, var(--woad) 0 4px, transparent 4px 7px);
  }
  .region :global(tr.conditional) {
    background: var(--weld-tint);
  }
  .region :global(.selectedCell) {
    box-shadow: inset 0 0 0 2px var(--woad);
  }
  .region :global(.column-resize-handle) {
    position: absolute;
    top: 0;
    right: -2px;
    bottom: 0;
    width: 4px;
    pointer-events: none;
    background: var(--woad);
  }
  .region :global(.resize-cursor) {
    cursor: col-resize;
  }
  .region :global(.around) {
    padding: 2px 0 2px 8px;
    margin: 4px 0;
    border-left: 3px solid var(--woad);
  }
  .region :global(.around.part) {
    border-left-color: var(--weld);
  }
  .region :global(.around > .caption) {
    display: inline-block;
    padding: 0 6px;
    margin-bottom: 2px;
    color: var(--woad);
    font-size: 12px;
    font-family: var(--sans);
    cursor: pointer;
    background: var(--woad-tint);
  }
  .region :global(.around.part > .caption) {
    color: var(--weld);
    background: var(--weld-tint);
  }
  .region :global(.thing) {
    cursor: pointer;
  }
  .region :global(span.thing) {
    padding: 0 4px;
    background: var(--woad-tint);
    border-bottom: 1px solid var(--woad);
  }
  .region :global(span.thing.pageNumber) {
    background: var(--sunken);
    border-bottom-color: var(--ink-faint);
  }
  .region :global(.thing.lost),
  .region :global(.around.lost > .caption) {
    color: var(--madder);
    background: var(--madder-tint);
    border-bottom-color: var(--madder);
  }
  .region :global(div.thing.pageBreak) {
    margin: 8px 0;
    color: var(--ink-faint);
    font-size: 12px;
    text-align: center;
    border-top: 1px dashed var(--line-strong);
  }
  .region :global(div.thing.picture),
  .region :global(div.thing.code) {
    margin: 0 0 6pt;
    color: var(--ink-soft);
    font-size: 12px;
  }
  .region :global(div.thing.picture img) {
    display: inline-block;
    max-width: 100%;
  }
  .region :global(.square) {
    display: inline-flex;
    align-items: center;
    justify-content: center;
    padding: 4px;
    overflow: hidden;
    text-align: center;
    background: repeating-conic-gradient(var(--sunken) 0 25%, transparent 0 50%) 0 0 / 12px 12px;
    border: 2px solid var(--ink-faint);
  }
  .region :global(.ProseMirror-focused .ProseMirror-selectednode) {
    outline: 2px solid var(--woad);
  }
</style>
