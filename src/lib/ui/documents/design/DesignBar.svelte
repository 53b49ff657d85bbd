<script lang="ts">
  import AlignCenter from '@lucide/svelte/icons/align-center';
  import AlignLeft from '@lucide/svelte/icons/align-left';
  import AlignRight from '@lucide/svelte/icons/align-right';
  import Bold from '@lucide/svelte/icons/bold';
  import Italic from '@lucide/svelte/icons/italic';
  import List from '@lucide/svelte/icons/list';
  import ListOrdered from '@lucide/svelte/icons/list-ordered';
  import Underline from '@lucide/svelte/icons/underline';
  import type { Editor } from '@tiptap/core';
  import type { Model, Table } from '$core/types/model';
  import { fieldOffers } from './offers';
  import type { Region } from './documentDesign.svelte';

  /** What is put where one writes, and how it looks. */
  const {
    editor,
    pulse,
    region,
    model,
    table,
    onpicture,
  }: {
    /** Where one writes; null before one does. */
    editor: Editor | null;
    /** Another with each step in the editor, which tells nobody of itself. */
    pulse: number;
    region: Region;
    model: Model;
    /** Whose fields can be put there. */
    table: Table;
    onpicture: () => void;
  } = $props();

  const is = $derived.by(() => {
    const at = pulse >= 0 ? editor : null;
    return (name: string | object, attrs?: object) =>
      at ? (typeof name === 'string' ? at.isActive(name, attrs) : at.isActive(name)) : false;
  });
  const level = $derived([1, 2, 3].find((one) => is('heading', { level: one })) ?? 0);
  const groups = $derived(fieldOffers(model, table));

  const marks = [
    {
      name: 'bold',
      label: 'Bold',
      keys: 'Ctrl+B',
      icon: Bold,
      run: (one: Editor) => one.chain().focus().toggleBold().run(),
    },
    {
      name: 'italic',
      label: 'Italic',
      keys: 'Ctrl+I',
      icon: Italic,
      run: (one: Editor) => one.chain().focus().toggleItalic().run(),
    },
    {
      name: 'underline',
      label: 'Underlined',
      keys: 'Ctrl+U',
      icon: Underline,
      run: (one: Editor) => one.chain().focus().toggleUnderline().run(),
    },
    {
      name: 'bulletList',
      label: 'List',
      keys: 'Ctrl+Shift+8',
      icon: List,
      run: (one: Editor) => one.chain().focus().toggleBulletList().run(),
    },
    {
      name: 'orderedList',
      label: 'Numbered list',
      keys: 'Ctrl+Shift+7',
      icon: ListOrdered,
      run: (one: Editor) => one.chain().focus().toggleOrderedList().run(),
    },
  ];
  const sides = [
    { side: 'left', label: 'To the left', icon: AlignLeft },
    { side: 'center', label: 'To the middle', icon: AlignCenter },
    { side: 'right', label: 'To the right', icon: AlignRight },
  ] as const;

  const emptyParagraph = [{ type: 'paragraph' }];
  const inserted: readonly {
    readonly label: string;
    readonly in?: 'edge' | 'body';
    readonly run: (one: Editor) => unknown;
  }[] = [
    { label: 'Table', run: (one) => one.chain().focus().insertTable({ rows: 2, cols: 3, withHeaderRow: true }).run() },
    {
      label: 'Part repeated for linked records',
      run: (one) => one.chain().focus().insertContent({ type: 'repeat', content: emptyParagraph }).run(),
    },
    {
      label: 'Part with a condition',
      run: (one) => one.chain().focus().insertContent({ type: 'part', content: emptyParagraph }).run(),
    },
    { label: 'Picture …', run: () => onpicture() },
    {
      label: 'Picture of the record',
      run: (one) =>
        one
          .chain()
          .focus()
          .insertContent({
            type: 'picture',
            attrs: { formula: fieldOffers(model, table, true)[0]?.of[0]?.path ?? null },
          })
          .run(),
    },
    { label: 'QR code', run: (one) => one.chain().focus().insertContent({ type: 'code' }).run() },
    { label: 'Line across', run: (one) => one.chain().focus().setHorizontalRule().run() },
    { label: 'New page', in: 'body', run: (one) => one.chain().focus().insertContent({ type: 'pageBreak' }).run() },
    { label: 'Page number', in: 'edge', run: (one) => one.chain().focus().insertContent({ type: 'pageNumber' }).run() },
    {
      label: 'Number of pages',
      in: 'edge',
      run: (one) =>
        one
          .chain()
          .focus()
          .insertContent({ type: 'pageNumber', attrs: { count: true } })
          .run(),
    },
  ];
  const offered = $derived(inserted.filter((one) => !one.in || (one.in === 'body') === (region === 'body')));

  function putField(formula: string) {
    editor
      ?.chain()
      .focus()
      .insertContent([{ type: 'field', attrs: { formula } }])
      .run();
  }
</script>

<div class="bar" role="toolbar" aria-label="Write" aria-controls="page">
  <select
    class="in-line"
    aria-label="Kind of text"
    disabled={!editor}
    value={level}
    onchange={(event) => {
      const to = Number(event.currentTarget.value);
      if (to === 0) editor?.chain().focus().setParagraph().run();
      else
        editor
          ?.chain()
          .focus()
          .setHeading({ level: to as 1 | 2 | 3 })
          .run();
    }}
  >
    <option value={0}>Text</option>
    <option value={1}>Heading 1</option>
    <option value={2}>Heading 2</option>
    <option value={3}>Heading 3</option>
  </select>
  {#each marks as { name, label, keys, icon: Icon, run } (name)}
    <button
      aria-label={label}
      title="{label}, {keys}"
      aria-pressed={is(name)}
      disabled={!editor}
      onclick={() => editor && run(editor)}><Icon size={16} /></button
    >
  {/each}
  {#each sides as { side, label, icon: Icon } (side)}
    <button
      aria-label={label}
      title={label}
      aria-pressed={is({ textAlign: side })}
      disabled={!editor}
      onclick={() => editor?.chain().focus().setTextAlign(side).run()}><Icon size={16} /></button
    >
  {/each}
  <select
    class="in-line put"
    aria-label="Put a field here"
    disabled={!editor}
    value=""
    onchange={(event) => {
      putField(event.currentTarget.value);
      event.currentTarget.value = '';
    }}
  >
    <option value="" disabled>+ field of {table.label}</option>
    {#each groups as group (group.label)}
      <optgroup label={group.label}>
        {#each group.of as one (one.path)}<option value={one.path}>{one.label}</option>{/each}
      </optgroup>
    {/each}
    <optgroup label="calculated"><option value="today()">today</option></optgroup>
  </select>
  <select
    class="in-line put"
    aria-label="Put something else here"
    disabled={!editor}
    value=""
    onchange={(event) => {
      const one = offered[Number(event.currentTarget.value)];
      event.currentTarget.value = '';
      if (editor) one?.run(editor);
    }}
  >
    <option value="" disabled>+ something else</option>
    {#each offered as one, index (one.label)}<option value={index}>{one.label}</option>{/each}
  </select>
</div>

<style>
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    align-items: center;
    padding: 6px 14px;
    border-bottom: 1px solid var(--line);
  }
  button {
    display: inline-flex;
    padding: 5px;
    border-radius: var(--radius);
  }
  button:hover:not(:disabled) {
    background: var(--sunken);
  }
  button[aria-pressed='true'] {
    background: var(--woad-tint);
  }
  button:disabled {
    opacity: 0.4;
  }
  select {
    width: auto;
    max-width: 190px;
  }
  .put {
    color: var(--woad);
  }
</style>
