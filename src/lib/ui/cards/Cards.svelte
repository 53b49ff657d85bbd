<script lang="ts">
  import { untrack } from 'svelte';
  import type { Model, Table } from '$core/types/model';
  import type { ShownColumn } from '$core/views/view';
  import type { FileReference } from '$core/fieldTypes/files';
  import CardFields from './CardFields.svelte';
  import type { RecordSet, ShownRecord } from '../records/recordSet.svelte';
  import { ScrolledRows } from '../grid/scrolledRows.svelte';

  /** Records as cards, with a picture at their head where the view has one; only those in sight are drawn. */
  const {
    workspace,
    model,
    table,
    set,
    columns,
    picture,
    dyes,
    selected,
    titleOf,
    onselect,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    set: RecordSet;
    columns: readonly ShownColumn[];
    /** The key of the field with the pictures. */
    picture: string | null;
    dyes: readonly string[];
    selected: number | null;
    titleOf: (record: ShownRecord) => string;
    onselect: (record: ShownRecord) => void;
  } = $props();
  const least = 250;
  const gap = 12;
  const mostFields = 6;
  let stage = $state<HTMLElement | null>(null);
  let width = $state(900);
  let at = $state(0);
  const fields = $derived(
    columns.filter(({ field }) => field.id !== table.title && field.key !== picture).slice(0, mostFields),
  );
  const across = $derived(Math.max(1, Math.floor((width - gap) / (least + gap))));
  const cardWidth = $derived((width - gap * (across + 1)) / across);
  const cardHeight = $derived(40 + fields.length * 24 + (picture ? 130 : 0));
  const scrolled = new ScrolledRows(() => ({ set, rowHeight: cardHeight + gap, perLine: across }), 2);

  $effect(() => {
    const [first, end] = [scrolled.first, scrolled.end];
    if (end >= first) untrack(() => scrolled.want());
  });

  function walk(event: KeyboardEvent) {
    const to = {
      ArrowRight: at + 1,
      ArrowLeft: at - 1,
      ArrowDown: at + across,
      ArrowUp: at - across,
      Home: 0,
      End: set.rows - 1,
    }[event.key];
    const record = set.at(at);
    if ((event.key === 'Enter' || event.key === ' ') && record) onselect(record);
    else if (to !== undefined) go(to);
    else return;
    event.preventDefault();
  }

  function go(row: number) {
    at = Math.max(0, Math.min(row, set.rows - 1));
    const y = Math.floor(at / across) * (cardHeight + gap);
    if (stage && (y < stage.scrollTop || y + cardHeight > stage.scrollTop + scrolled.height))
      stage.scrollTop = Math.max(0, y - scrolled.height / 3);
    const record = set.at(at);
    if (record && selected !== null) onselect(record);
  }

  const pictureOf = (record: ShownRecord): FileReference | undefined => {
    const files = picture === null ? null : record.values[picture];
    return Array.isArray(files) ? (files as FileReference[])[0] : undefined;
  };
</script>

<div
  class="stage"
  role="listbox"
  tabindex="0"
  aria-label={table.label}
  aria-activedescendant="card-{at}"
  bind:this={stage}
  bind:clientHeight={scrolled.height}
  bind:clientWidth={width}
  onscroll={() => (scrolled.top = stage?.scrollTop ?? 0)}
  onkeydown={walk}
>
  <div class="all" role="presentation" style:height="{scrolled.lines * (cardHeight + gap) + gap}px">
    {#each scrolled.inSight as line (line)}
      {#each Array.from({ length: across }, (_, index) => line * across + index).filter((row) => row < set.rows) as row (row)}
        {@const record = set.at(row)}
        {@const shown = record && pictureOf(record)}
        <!-- svelte-ignore a11y_click_events_have_key_events -->
        <div
          id="card-{row}"
          class="card"
          class:at={row === at}
          role="option"
          tabindex="-1"
          aria-selected={record !== undefined && record.id === selected}
          aria-setsize={set.count ?? -1}
          aria-posinset={row + 1}
          style:top="{line * (cardHeight + gap) + gap}px"
          style:left="{(row % across) * (cardWidth + gap) + gap}px"
          style:width="{cardWidth}px"
          style:height="{cardHeight}px"
          style:--edge={record?.mark == null ? 'transparent' : `var(--dye-${dyes[record.mark] ?? 'slate'})`}
          onclick={() => {
            at = row;
            if (record) onselect(record);
          }}
        >
          {#if record}
            {#if picture}<span class="picture"
                >{#if shown}<img
                    src="/api/workspaces/{workspace}/files/{shown.file}?name={encodeURIComponent(
                      shown.name,
                    )}&thumbnail=320"
                    alt={shown.name}
                    loading="lazy"
                  />{/if}</span
              >{/if}
            <b>{titleOf(record)}</b>
            <CardFields {model} {fields} {record} />
          {:else}…{/if}
        </div>
      {/each}
    {/each}
  </div>
</div>

<style>
  .stage {
    flex: 1;
    overflow: auto;
    background: var(--ground);
  }
  .stage:focus {
    outline: none;
  }
  .all {
    position: relative;
  }
  .card {
    position: absolute;
    padding: 8px 12px;
    overflow: hidden;
    font-size: 13px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    box-shadow: inset 4px 0 0 var(--edge);
    cursor: pointer;
  }
  .stage:focus-visible .at {
    outline: 2px solid var(--woad);
  }
  .card[aria-selected='true'] {
    border-color: var(--woad);
    background: var(--woad-tint);
  }
  b {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .picture {
    display: block;
    height: 122px;
    margin: -8px -12px 8px;
    background: var(--sunken);
  }
  img {
    width: 100%;
    height: 100%;
    object-fit: cover;
  }
</style>
