<script lang="ts">
  import { draggable, dropTargetForElements } from '@atlaskit/pragmatic-drag-and-drop/element/adapter';
  import { combine } from '@atlaskit/pragmatic-drag-and-drop/combine';
  import type { Model, Table } from '$core/types/model';
  import { isSortable } from '$core/query/sortable';
  import { alignsRight } from '../values/show';
  import type { ColumnChange } from './columnChange';
  import { leastWidth, mostWidth, type GridColumn } from './gridGeometry';

  /**
   * The heads of a grid's columns: sorted, moved, made wider, and with a menu of all that can be done, by pointer and
   * by keyboard.
   */
  const {
    model,
    table,
    columns,
    sort,
    at,
    onchange,
    onsort,
    onmenu,
    ongo,
    onresize,
  }: {
    model: Model;
    table: Table;
    columns: readonly GridColumn[];
    sort: string;
    /** The column one is on, when one is in the head. */
    at: number | null;
    onchange: (change: ColumnChange) => void;
    onsort: (key: string) => void;
    onmenu: (column: number, opener: HTMLElement) => void;
    ongo: (column: number) => void;
    /** While a column is made wider; null when that ended. */
    onresize: (column: number, width: number | null) => void;
  } = $props();
  let over = $state<number | null>(null);

  const direction = (key: string) =>
    sort.split(',').includes(key) ? 'ascending' : sort.split(',').includes(`-${key}`) ? 'descending' : undefined;
  const step = 16;
  const clamped = (width: number) => Math.max(leastWidth, Math.min(mostWidth, Math.round(width)));

  function key(event: KeyboardEvent, index: number) {
    const column = columns[index];
    if (!column) return;
    const side = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (event.key === 'Enter' && isSortable(column.field)) onsort(column.field.key);
    else if (event.key === ' ' || (event.key === 'ArrowDown' && event.altKey) || event.key === 'ContextMenu')
      onmenu(index, event.currentTarget as HTMLElement);
    else if (side !== 0 && event.ctrlKey && event.shiftKey)
      onchange({ do: 'move', field: column.field.key, to: index + side });
    else if (side !== 0 && event.shiftKey)
      onchange({ do: 'width', field: column.field.key, width: clamped(column.width + side * step) });
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function pull(event: PointerEvent, index: number) {
    const column = columns[index];
    if (!column) return;
    const handle = event.currentTarget as HTMLElement;
    const start = event.clientX - column.width;
    handle.setPointerCapture(event.pointerId);
    event.preventDefault();
    event.stopPropagation();
    let width = column.width;
    handle.onpointermove = (moved) => onresize(index, (width = clamped(moved.clientX - start)));
    handle.onpointerup = () => {
      handle.onpointermove = handle.onpointerup = null;
      onresize(index, null);
      onchange({ do: 'width', field: column.field.key, width });
    };
  }

  const moves = (index: number) => (node: HTMLElement) =>
    combine(
      draggable({
        element: node,
        canDrag: ({ input }) => !(document.elementFromPoint(input.clientX, input.clientY)?.matches('.pull') ?? false),
        getInitialData: () => ({ head: columns[index]?.field.key }),
      }),
      dropTargetForElements({
        element: node,
        canDrop: ({ source }) => typeof source.data.head === 'string',
        onDragEnter: () => (over = index),
        onDragLeave: () => (over = over === index ? null : over),
        onDrop: ({ source }) => {
          over = null;
          onchange({ do: 'move', field: String(source.data.head), to: index });
        },
      }),
    );
</script>

{#snippet head(column: GridColumn, index: number)}
  <div
    {@attach moves(index)}
    role="columnheader"
    tabindex={at === index ? 0 : -1}
    data-cell="-1.{index}"
    aria-colindex={index + 1}
    aria-sort={direction(column.field.key)}
    class:right={alignsRight(model, column.field)}
    class:over={over === index}
    class:last={column.frozen && !columns[index + 1]?.frozen}
    style:width="{column.width}px"
    style:left={column.frozen ? undefined : `${column.left}px`}
    title={column.field.help || column.field.label}
    onclick={() => ongo(index)}
    onkeydown={(event) => key(event, index)}
    oncontextmenu={(event) => (event.preventDefault(), onmenu(index, event.currentTarget))}
  >
    <button
      tabindex="-1"
      class="label"
      disabled={!isSortable(column.field)}
      onclick={(event) => (event.stopPropagation(), onsort(column.field.key))}
      title={isSortable(column.field) ? `${column.field.help ? `${column.field.help} · ` : ''}sort` : undefined}
      >{column.field.label}{direction(column.field.key) === 'ascending'
        ? ' ↑'
        : direction(column.field.key) === 'descending'
          ? ' ↓'
          : ''}</button
    >
    <button
      tabindex="-1"
      class="more"
      aria-label="{column.field.label}: what can be done"
      aria-haspopup="menu"
      onclick={(event) => (
        event.stopPropagation(),
        onmenu(index, event.currentTarget.parentElement ?? event.currentTarget)
      )}>⋮</button
    >
    <span
      class="pull"
      role="presentation"
      onpointerdown={(event) => pull(event, index)}
      ondblclick={() => onchange({ do: 'width', field: column.field.key, width: null })}
    ></span>
  </div>
{/snippet}

<div class="head" role="row" aria-rowindex={1} style:--selvedge="var(--dye-{table.dye})">
  <div class="still">
    {#each columns as column, index (column.field.id)}{#if column.frozen}{@render head(column, index)}{/if}{/each}
  </div>
  {#each columns as column, index (column.field.id)}{#if !column.frozen}{@render head(column, index)}{/if}{/each}
</div>

<style>
  .head {
    position: relative;
    height: var(--row);
    background: var(--ground);
    border-bottom: 1px solid var(--line-strong);
  }
  .still {
    position: sticky;
    left: 0;
    z-index: 2;
    display: flex;
    width: max-content;
    height: 100%;
    background: var(--ground);
  }
  [role='columnheader'] {
    position: relative;
    display: flex;
    align-items: center;
    height: 100%;
    padding: 0 4px 0 10px;
    color: var(--ink-soft);
    font-weight: 600;
    white-space: nowrap;
    border-right: 1px solid var(--line);
    outline-offset: -2px;
  }
  .head > [role='columnheader'] {
    position: absolute;
    top: 0;
  }
  [role='columnheader']:focus {
    outline: 2px solid var(--woad);
  }
  .last {
    border-right-color: var(--line-strong);
  }
  .right .label {
    text-align: right;
  }
  .label {
    flex: 1;
    overflow: hidden;
    text-align: left;
    text-overflow: ellipsis;
    cursor: pointer;
  }
  .label:disabled {
    cursor: default;
  }
  .more {
    width: 14px;
    color: var(--ink-faint);
    opacity: 0;
  }
  [role='columnheader']:hover .more,
  [role='columnheader']:focus-within .more {
    opacity: 1;
  }
  .pull {
    position: absolute;
    top: 0;
    right: -4px;
    z-index: 1;
    width: 8px;
    height: 100%;
    cursor: col-resize;
    touch-action: none;
  }
  .pull:hover {
    background: linear-gradient(90deg, transparent 3px, var(--woad) 3px 5px, transparent 5px);
  }
  .over {
    box-shadow: inset 3px 0 0 var(--woad);
  }
</style>
