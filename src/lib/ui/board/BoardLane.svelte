<script lang="ts">
  import { draggable, dropTargetForElements } from '@atlaskit/pragmatic-drag-and-drop/element/adapter';
  import { untrack } from 'svelte';
  import type { Model } from '$core/types/model';
  import type { Option } from '$core/types/field';
  import type { ShownColumn } from '$core/views/view';
  import OptionLabel from '../values/OptionLabel.svelte';
  import type { BoardColumn } from './boardColumns';
  import CardFields from '../cards/CardFields.svelte';
  import type { RecordSet, ShownRecord } from '../records/recordSet.svelte';
  import { ScrolledRows } from '../grid/scrolledRows.svelte';
  import TotalValue from '../view/TotalValue.svelte';
  import type { AskedTotal } from '../view/totals.svelte';

  /** One column of a board: its records as cards, which are dragged from it and dropped on it. */
  const {
    model,
    column,
    index,
    option,
    set,
    fields,
    totals,
    dyes,
    selected,
    at,
    mayMove,
    titleOf,
    onselect,
    onat,
    ondrop,
    onkey,
  }: {
    model: Model;
    column: BoardColumn;
    index: number;
    option: Option | null;
    set: RecordSet;
    fields: readonly ShownColumn[];
    totals: readonly { readonly asked: AskedTotal; readonly value: unknown }[];
    dyes: readonly string[];
    selected: number | null;
    /** The row one is on, when one is in this column. */
    at: number | null;
    mayMove: boolean;
    titleOf: (record: ShownRecord) => string;
    onselect: (record: ShownRecord) => void;
    onat: (row: number) => void;
    /** A record of the board was dropped here. */
    ondrop: (id: number, from: number) => void;
    onkey: (event: KeyboardEvent) => void;
  } = $props();
  const gap = 8;
  const height = $derived(36 + fields.length * 24);
  let list = $state<HTMLElement | null>(null);
  let over = $state(false);
  const scrolled = new ScrolledRows(() => ({ set, rowHeight: height + gap, perLine: 1 }), 3);

  $effect(() => {
    const [first, end] = [scrolled.first, scrolled.end];
    if (end >= first) untrack(() => scrolled.want());
  });

  $effect(() => {
    if (at === null || !list) return;
    const y = at * (height + gap);
    if (y < list.scrollTop || y + height > list.scrollTop + scrolled.height)
      list.scrollTop = Math.max(0, y - scrolled.height / 3);
    list.focus({ preventScroll: true });
  });

  const takes = (node: HTMLElement) =>
    dropTargetForElements({
      element: node,
      canDrop: ({ source }) => typeof source.data.card === 'number' && mayMove,
      onDragEnter: () => (over = true),
      onDragLeave: () => (over = false),
      onDrop: ({ source }) => {
        over = false;
        if (source.data.lane !== index) ondrop(Number(source.data.card), Number(source.data.lane));
      },
    });
  const moves = (id: number) => (node: HTMLElement) =>
    mayMove ? draggable({ element: node, getInitialData: () => ({ card: id, lane: index }) }) : undefined;
</script>

<section {@attach takes} class="lane" class:over aria-label={column.name}>
  <header>
    <h2>
      {#if option}<OptionLabel {option} place={column.option ?? 0} />{:else}{column.name}{/if}
    </h2>
    <span class="count">{set.count === null ? '…' : set.count.toLocaleString()}</span>
  </header>
  {#if totals.length > 0}<p class="totals">
      {#each totals as { asked, value } (asked.field.id)}<TotalValue {model} {asked} {value} />
      {/each}
    </p>{/if}
  <div
    class="cards"
    role="listbox"
    tabindex="0"
    aria-label={column.name}
    aria-activedescendant={at === null ? undefined : `lane-${index}-${at}`}
    bind:this={list}
    bind:clientHeight={scrolled.height}
    onscroll={() => (scrolled.top = list?.scrollTop ?? 0)}
    onfocus={() => at === null && onat(0)}
    onkeydown={onkey}
  >
    <div class="all" role="presentation" style:height="{scrolled.lines * (height + gap)}px">
      {#each scrolled.inSight as row (row)}
        {@const record = set.at(row)}
        {#if record}
          <!-- By its number: a card that is being dragged stays so when its record is read anew. -->
          {@const id = record.id}
          {#key id}
            <!-- svelte-ignore a11y_click_events_have_key_events -->
            <div
              {@attach moves(id)}
              id="lane-{index}-{row}"
              class="card"
              class:at={row === at}
              class:grab={mayMove}
              role="option"
              tabindex="-1"
              aria-selected={record.id === selected}
              aria-setsize={set.count ?? -1}
              aria-posinset={row + 1}
              style:top="{row * (height + gap)}px"
              style:height="{height}px"
              style:--edge={record.mark == null ? 'transparent' : `var(--dye-${dyes[record.mark] ?? 'slate'})`}
              onclick={() => (onat(row), onselect(record))}
            >
              <b>{titleOf(record)}</b>
              <CardFields {model} {fields} {record} />
            </div>
          {/key}
        {:else}<div class="card" style:top="{row * (height + gap)}px" style:height="{height}px" role="presentation">
            …
          </div>{/if}
      {/each}
    </div>
  </div>
</section>

<style>
  .lane {
    display: flex;
    flex: 0 0 250px;
    flex-direction: column;
    min-height: 0;
    background: var(--sunken);
    border-radius: var(--radius);
  }
  .over {
    outline: 2px solid var(--woad);
  }
  header {
    display: flex;
    gap: 8px;
    align-items: baseline;
    justify-content: space-between;
    padding: 7px 10px 4px;
  }
  h2 {
    overflow: hidden;
    font-size: 14px;
    font-weight: 600;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .count,
  .totals {
    color: var(--ink-soft);
    font-size: 12px;
  }
  .totals {
    padding: 0 10px 4px;
  }
  .cards {
    flex: 1;
    padding: 0 8px;
    overflow: auto;
  }
  .cards:focus {
    outline: none;
  }
  .all {
    position: relative;
  }
  .card {
    position: absolute;
    width: 100%;
    padding: 6px 10px;
    overflow: hidden;
    font-size: 13px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    box-shadow: inset 4px 0 0 var(--edge);
  }
  .grab {
    cursor: grab;
  }
  .cards:focus-visible .at {
    outline: 2px solid var(--woad);
  }
  .card[aria-selected='true'] {
    background: var(--woad-tint);
    border-color: var(--woad);
  }
  b {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
</style>
