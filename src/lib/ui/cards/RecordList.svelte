<script lang="ts">
  import { untrack } from 'svelte';
  import type { Model, Table } from '$core/types/model';
  import type { ShownColumn } from '$core/views/view';
  import CellValue from '../values/CellValue.svelte';
  import type { RecordSet, ShownRecord } from '../records/recordSet.svelte';
  import { ScrolledRows } from '../grid/scrolledRows.svelte';

  /** Records as a narrow list, each by its title and the first fields of the view; walked with the arrow keys. */
  const {
    model,
    table,
    set,
    columns,
    dyes,
    selected,
    titleOf,
    onselect,
  }: {
    model: Model;
    table: Table;
    set: RecordSet;
    columns: readonly ShownColumn[];
    dyes: readonly string[];
    selected: number | null;
    titleOf: (record: ShownRecord) => string;
    onselect: (record: ShownRecord) => void;
  } = $props();
  const rowHeight = 54;
  let list = $state<HTMLElement | null>(null);
  const scrolled = new ScrolledRows(() => ({ set, rowHeight, perLine: 1 }));
  const beside = $derived(columns.filter(({ field }) => field.id !== table.title).slice(0, 3));
  const here = $derived(selected === null ? null : set.rowOf(selected));

  $effect(() => {
    const [first, end] = [scrolled.first, scrolled.end];
    if (end >= first) untrack(() => scrolled.want());
  });

  function walk(event: KeyboardEvent) {
    const page = Math.max(1, Math.floor(scrolled.height / rowHeight) - 1);
    const to = {
      ArrowDown: (here ?? -1) + 1,
      ArrowUp: (here ?? 1) - 1,
      PageDown: (here ?? 0) + page,
      PageUp: (here ?? 0) - page,
      Home: 0,
      End: set.rows - 1,
    }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    const row = Math.max(0, Math.min(to, set.rows - 1));
    if (list && (row * rowHeight < list.scrollTop || (row + 1) * rowHeight > list.scrollTop + scrolled.height))
      list.scrollTop = Math.max(0, row * rowHeight - scrolled.height / 2);
    const record = set.at(row);
    if (record) onselect(record);
  }
</script>

<div
  class="list"
  role="listbox"
  tabindex="0"
  aria-label={table.label}
  aria-activedescendant={selected === null ? undefined : `record-${selected}`}
  bind:this={list}
  bind:clientHeight={scrolled.height}
  onscroll={() => (scrolled.top = list?.scrollTop ?? 0)}
  onkeydown={walk}
>
  <div class="all" role="presentation" style:height="{scrolled.lines * rowHeight}px">
    {#each scrolled.inSight as row (row)}
      {@const record = set.at(row)}
      <!-- svelte-ignore a11y_click_events_have_key_events -->
      <div
        id={record ? `record-${record.id}` : undefined}
        class="one"
        role="option"
        tabindex="-1"
        aria-selected={record !== undefined && record.id === selected}
        aria-setsize={set.count ?? -1}
        aria-posinset={row + 1}
        style:top="{row * rowHeight}px"
        style:--edge={record?.mark == null ? 'transparent' : `var(--dye-${dyes[record.mark] ?? 'slate'})`}
        onclick={() => record && onselect(record)}
      >
        {#if record}
          <b>{titleOf(record)}</b>
          <span class="fields"
            >{#each beside as { field } (field.id)}<span class="value"
                ><CellValue {model} {field} value={record.values[field.key]} /></span
              >{/each}</span
          >
        {:else}<span class="fields">…</span>{/if}
      </div>
    {/each}
  </div>
</div>

<style>
  .list {
    width: 300px;
    flex: none;
    overflow: auto;
    font-size: 13px;
    background: var(--ground);
    border-right: 1px solid var(--line-strong);
  }
  .list:focus-visible {
    outline: 2px solid var(--woad);
    outline-offset: -2px;
  }
  .all {
    position: relative;
  }
  .one {
    position: absolute;
    display: flex;
    flex-direction: column;
    justify-content: center;
    width: 100%;
    height: 54px;
    padding: 0 12px;
    overflow: hidden;
    border-bottom: 1px solid var(--line);
    box-shadow: inset 4px 0 0 var(--edge);
    cursor: pointer;
  }
  .one[aria-selected='true'] {
    background: var(--woad-tint);
  }
  b {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .fields {
    display: flex;
    gap: 12px;
    overflow: hidden;
    color: var(--ink-soft);
    white-space: nowrap;
  }
  .value {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  @media (max-width: 800px) {
    .list {
      width: 100%;
      height: 200px;
    }
  }
</style>
