<script lang="ts">
  import { combine } from '@atlaskit/pragmatic-drag-and-drop/combine';
  import { draggable, dropTargetForElements } from '@atlaskit/pragmatic-drag-and-drop/element/adapter';
  import type { Snippet } from 'svelte';
  import { inOrder, pageColumns } from '$core/summaries/layout';
  import type { BlockPlace } from '$core/types/summary';
  import type { BlockJson } from './summaryPage.svelte';

  /**
   * The blocks of a page on its columns. While it is changed they are dragged, and moved by keyboard: arrows move, Shift
   * and arrows make wider or higher, Enter opens what a block shows, Delete takes it away.
   */
  const {
    blocks,
    changing,
    chosen,
    titleOf,
    block,
    onplace,
    onchoose,
    onremove,
  }: {
    blocks: readonly BlockJson[];
    changing: boolean;
    chosen: string | null;
    titleOf: (block: BlockJson) => string;
    block: Snippet<[BlockJson]>;
    onplace: (id: string, place: BlockPlace) => void;
    onchoose: (id: string) => void;
    onremove: (id: string) => void;
  } = $props();
  const rowHeight = 58;
  const gap = 12;
  let page = $state<HTMLElement | null>(null);
  let over = $state.raw<BlockPlace | null>(null);
  const ordered = $derived(inOrder(blocks));

  interface Grip {
    readonly id: string;
    readonly how: 'move' | 'size';
    readonly dx: number;
    readonly dy: number;
  }
  /** The place that a block would take, dropped where the pointer is. */
  function placeAt({ id, how, dx, dy }: Grip, x: number, y: number): BlockPlace | null {
    const box = page?.getBoundingClientRect();
    const one = blocks.find((each) => each.id === id);
    if (!box || !one) return null;
    const column = (box.width + gap) / pageColumns;
    const { place } = one;
    if (how === 'size') {
      const w = Math.round((x - box.left + gap / 2) / column) - place.x;
      const h = Math.round((y - box.top + gap / 2) / (rowHeight + gap)) - place.y;
      return { ...place, w: Math.max(1, Math.min(pageColumns - place.x, w)), h: Math.max(1, h) };
    }
    const left = Math.round((x - dx - box.left) / column);
    const top = Math.round((y - dy - box.top) / (rowHeight + gap));
    return { ...place, x: Math.max(0, Math.min(pageColumns - place.w, left)), y: Math.max(0, top) };
  }
  $effect(() => {
    if (!page || !changing) return;
    const gripOf = (data: Record<string, unknown>) => data as unknown as Grip;
    return dropTargetForElements({
      element: page,
      canDrop: ({ source }) => 'how' in source.data,
      onDrag: ({ source, location: { current } }) =>
        (over = placeAt(gripOf(source.data), current.input.clientX, current.input.clientY)),
      onDragLeave: () => (over = null),
      onDrop: ({ source, location: { current } }) => {
        over = null;
        const grip = gripOf(source.data);
        const place = placeAt(grip, current.input.clientX, current.input.clientY);
        if (place) onplace(grip.id, place);
      },
    });
  });
  const grip = (id: string, how: Grip['how']) => (element: HTMLElement) => {
    if (!changing) return;
    return combine(
      draggable({
        element,
        getInitialData: ({ input }) => {
          const box = element.closest('.block')?.getBoundingClientRect();
          return { id, how, dx: input.clientX - (box?.left ?? 0), dy: input.clientY - (box?.top ?? 0) };
        },
      }),
    );
  };

  function key(event: KeyboardEvent, { id, place }: BlockJson) {
    if (!changing || event.target !== event.currentTarget) return;
    const steps: Record<string, readonly [number, number]> = {
      ArrowLeft: [-1, 0],
      ArrowRight: [1, 0],
      ArrowUp: [0, -1],
      ArrowDown: [0, 1],
    };
    const step = steps[event.key];
    if (step && event.shiftKey)
      onplace(id, { ...place, w: Math.min(pageColumns - place.x, place.w + step[0]), h: place.h + step[1] });
    else if (step)
      onplace(id, { ...place, x: place.x + step[0], y: step[1] > 0 ? below(id, place) : place.y + step[1] });
    else if (event.key === 'Enter') onchoose(id);
    else if (event.key === 'Delete') onremove(id);
    else return;
    event.preventDefault();
  }
  /** One step down goes behind the next block below, as blocks leave no gaps between them. */
  function below(id: string, place: BlockPlace): number {
    const next = blocks
      .filter((one) => one.id !== id && one.place.y >= place.y + place.h)
      .filter((one) => one.place.x < place.x + place.w && place.x < one.place.x + one.place.w)
      .toSorted((one, other) => one.place.y - other.place.y)[0];
    return next ? next.place.y + next.place.h : place.y + 1;
  }
  const styleOf = ({ x, y, w, h }: BlockPlace) => `grid-column: ${x + 1} / span ${w}; grid-row: ${y + 1} / span ${h}`;
</script>

<div class="page" class:changing bind:this={page} style:--row-height="{rowHeight}px" style:--gap="{gap}px">
  {#each ordered as one (one.id)}
    <!-- Moved by keyboard while the page is changed. -->
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <section
      class="block {one.kind}"
      class:chosen={changing && chosen === one.id}
      aria-label={titleOf(one)}
      style={styleOf(one.place)}
      tabindex={changing ? 0 : undefined}
      onkeydown={(event) => key(event, one)}
    >
      {#if changing}
        <div class="bar">
          <span class="grip" title="Drag it elsewhere" {@attach grip(one.id, 'move')}>⠿</span>
          <button onclick={() => onchoose(one.id)}>Change</button>
          <button onclick={() => onremove(one.id)}>Remove</button>
        </div>
      {/if}
      {@render block(one)}
      {#if changing}<span class="corner" title="Drag to make it larger" {@attach grip(one.id, 'size')}></span>{/if}
    </section>
  {/each}
  {#if over}<div class="over" style={styleOf(over)}></div>{/if}
</div>

<style>
  .page {
    display: grid;
    grid-template-columns: repeat(12, minmax(0, 1fr));
    grid-auto-rows: var(--row-height);
    gap: var(--gap);
    max-width: 1500px;
  }
  .changing {
    padding-bottom: 120px;
  }
  .block {
    position: relative;
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    padding: 10px 14px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .text {
    background: transparent;
    border-color: transparent;
  }
  .changing .block {
    border-color: var(--line-strong);
    border-style: dashed;
  }
  .chosen {
    outline: 2px solid var(--woad);
  }
  .bar {
    display: flex;
    gap: 12px;
    align-items: center;
    margin: -6px -8px 2px;
    color: var(--ink-soft);
    font-size: 12px;
  }
  .bar button {
    min-height: 24px;
    color: var(--woad);
  }
  .grip {
    padding: 0 6px;
    cursor: grab;
  }
  .corner {
    position: absolute;
    right: 0;
    bottom: 0;
    width: 18px;
    height: 18px;
    cursor: nwse-resize;
    background: linear-gradient(135deg, transparent 50%, var(--line-strong) 50%);
  }
  .over {
    z-index: 3;
    background: var(--woad-tint);
    border: 2px dashed var(--woad);
    border-radius: var(--radius);
    opacity: 0.7;
    pointer-events: none;
  }
  @media screen and (max-width: 800px) {
    .page {
      display: flex;
      flex-direction: column;
    }
    .chart,
    .list,
    .table {
      height: 340px;
    }
  }
  @media print {
    .page {
      gap: 8px;
    }
    .block {
      break-inside: avoid;
    }
  }
</style>
