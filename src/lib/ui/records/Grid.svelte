<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { isEntered, isShown, type Field, type Model, type Table } from '$core/model/model';
  import { shownType } from '$core/model/shownType';
  import { useFrame } from '../frame/context';
  import CellValue from '../values/CellValue.svelte';
  import { alignsRight as aligned, isCalculated, textOf } from '../values/show';
  import CellEditor from './CellEditor.svelte';
  import type { RecordSet, ShownRecord } from './recordSet.svelte';

  /** Records as a grid (WAI-ARIA grid pattern): only the rows in sight are drawn; every editor by keyboard. */
  const {
    workspace,
    model,
    table,
    set,
    sort,
    mayEdit,
    selected,
    onselect,
    onedit,
    onsort,
    onremove,
    ontrace,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    set: RecordSet;
    sort: string;
    mayEdit: boolean;
    selected: number | null;
    onselect: (record: ShownRecord, open: boolean) => void;
    onedit: (record: ShownRecord, field: Field, value: unknown) => void;
    onsort: (key: string) => void;
    onremove: (record: ShownRecord) => void;
    /** Says how a calculated value came about. */
    ontrace: (record: ShownRecord, field: Field) => void;
  } = $props();

  const frame = useFrame();
  const rowHeight = 30;
  const overscan = 8;
  let scroller = $state<HTMLElement | null>(null);
  let top = $state(0);
  let height = $state(600);
  let width = $state(0);
  let at = $state({ row: 0, column: 0 });
  let editing = $state<{ row: number; column: number; start: string | null } | null>(null);

  const columns = $derived(table.fields.filter(isShown).sort((a, b) => Number(b.id === table.title) - Number(a.id === table.title)));
  const first = $derived(Math.max(0, Math.floor(top / rowHeight) - overscan));
  const last = $derived(Math.min(set.records.length, Math.ceil((top + height) / rowHeight) + overscan));
  const visible = $derived(set.records.slice(first, last));
  const widths: Partial<Record<string, number>> = {
    number: 104,
    money: 116,
    percent: 96,
    date: 108,
    dateTime: 142,
    duration: 96,
    yesNo: 84,
    counterpart: 96,
    option: 130,
    options: 190,
    rating: 110,
    progress: 140,
    runningNumber: 110,
    longText: 220,
    pictures: 130,
  };
  const template = $derived(columns.map((field) => `${widthOf(field)}px`).join(' '));
  const alignsRight = (field: Field) => aligned(model, field);
  /** In pixels: what its values need, and its label where that is not very long. */
  const widthOf = (field: Field) => {
    const own = field.type.kind === 'counterpart' && field.type.over ? 190 : (widths[shownType(model, field).kind] ?? (field.id === table.title ? 150 : 170));
    return Math.max(own, Math.min(200, field.label.length * 8 + 24));
  };

  $effect(() => {
    if (last >= set.records.length - 40) void set.more();
  });

  // The inspector takes room when it opens: the cell one is on stays in sight.
  $effect(() => {
    if (width > 0) untrack(() => scroller?.querySelector(`[data-cell="${at.row}.${at.column}"]`)?.scrollIntoView({ block: 'nearest', inline: 'nearest' }));
  });

  async function go(row: number, column: number) {
    at = { row: Math.max(0, Math.min(row, set.records.length - 1)), column: Math.max(0, Math.min(column, columns.length - 1)) };
    const y = at.row * rowHeight;
    // Two rows of margin: the head covers one.
    if (scroller && (y < scroller.scrollTop || y > scroller.scrollTop + height - 2.5 * rowHeight)) scroller.scrollTop = y - height / 2;
    await tick();
    scroller?.querySelector<HTMLElement>(`[data-cell="${at.row}.${at.column}"]`)?.focus();
    const record = set.records[at.row];
    if (record && selected !== null) onselect(record, false);
  }

  function edit(start: string | null) {
    const field = columns[at.column];
    if (mayEdit && field && isEntered(field)) editing = { ...at, start };
  }

  function commit(value: unknown, key?: string, back = false) {
    const record = editing && set.records[editing.row];
    const field = editing && columns[editing.column];
    editing = null;
    if (record && field) onedit(record, field, value);
    if (key === 'Tab') void go(at.row, at.column + (back ? -1 : 1));
    else if (key === 'Enter') void go(at.row + (back ? -1 : 1), at.column);
    else if (key) void go(at.row, at.column);
  }

  function key(event: KeyboardEvent) {
    if (editing || event.altKey) return;
    const record = set.records[at.row];
    const page = Math.floor(height / rowHeight) - 2;
    const moves: Record<string, [number, number]> = {
      ArrowDown: [at.row + 1, at.column],
      ArrowUp: [at.row - 1, at.column],
      ArrowRight: [at.row, at.column + 1],
      ArrowLeft: [at.row, at.column - 1],
      PageDown: [at.row + page, at.column],
      PageUp: [at.row - page, at.column],
      Home: [event.ctrlKey ? 0 : at.row, 0],
      End: [event.ctrlKey ? set.records.length - 1 : at.row, columns.length - 1],
    };
    const move = moves[event.key];
    if (move) void go(...move);
    else if (event.ctrlKey || event.metaKey) {
      if (event.key === 'c' && record) void navigator.clipboard?.writeText(copied(record));
      else if (event.key === 'Enter' && record) onselect(record, true);
      else return;
    } else if ((event.key === 'Enter' || event.key === '=') && record && columns[at.column]?.type.kind === 'formula')
      ontrace(record, columns[at.column] as Field);
    else if (event.key === 'Enter' || event.key === 'F2') edit(null);
    else if (event.key === ' ' && record) onselect(record, true);
    else if (event.key === 'Delete' && event.shiftKey && record && mayEdit) onremove(record);
    else if (event.key === 'Delete' || event.key === 'Backspace') {
      const field = columns[at.column];
      if (record && field && mayEdit && isEntered(field)) onedit(record, field, null);
    } else if (event.key.length === 1) edit(event.key);
    else return;
    event.preventDefault();
  }

  function copied(record: ShownRecord): string {
    const field = columns[at.column];
    return field ? textOf(record.values[field.key], shownType(model, field), frame.workspace.zone) : '';
  }

  const direction = (field: Field) => (sort === field.key ? 'ascending' : sort === `-${field.key}` ? 'descending' : undefined);
</script>

<div
  class="scroller"
  role="grid"
  aria-label={table.label}
  aria-rowcount={set.count ?? -1}
  aria-colcount={columns.length}
  tabindex="-1"
  bind:this={scroller}
  bind:clientHeight={height}
  bind:clientWidth={width}
  onscroll={() => (top = scroller?.scrollTop ?? 0)}
  onkeydown={key}
>
  <div class="head row" role="row" aria-rowindex={1} style:grid-template-columns={template}>
    {#each columns as field (field.id)}
      <div role="columnheader" class:right={alignsRight(field)} aria-sort={direction(field)} class:title={field.id === table.title}>
        {#if field.type.kind === 'counterpart'}
          <span title={field.help || field.label}>{field.label}</span>
        {:else}
          <button tabindex="-1" title={field.help || `Sort by ${field.label}`} onclick={() => onsort(field.key)}
            >{field.label}{direction(field) === 'ascending' ? ' ↑' : direction(field) === 'descending' ? ' ↓' : ''}</button
          >
        {/if}
      </div>
    {/each}
  </div>
  <div class="body" style:height="{set.records.length * rowHeight}px">
    {#each visible as record, offset (record.id)}
      {@const row = first + offset}
      <div
        class="row"
        role="row"
        aria-rowindex={row + 2}
        aria-selected={selected === record.id}
        style:top="{row * rowHeight}px"
        style:grid-template-columns={template}
      >
        {#each columns as field, column (field.id)}
          {@const focused = at.row === row && at.column === column}
          <!-- svelte-ignore a11y_click_events_have_key_events -->
          <div
            role="gridcell"
            data-cell="{row}.{column}"
            tabindex={focused ? 0 : -1}
            aria-colindex={column + 1}
            aria-readonly={!mayEdit || isCalculated(field)}
            class:right={alignsRight(field)}
            class:woven={isCalculated(field)}
            class:title={field.id === table.title}
            class:marked={set.marked.has(`${record.id}.${field.key}`)}
            onclick={() => (at.row === row && at.column === column ? undefined : void go(row, column))}
            ondblclick={() => (isEntered(field) && mayEdit ? edit(null) : field.type.kind === 'formula' ? ontrace(record, field) : onselect(record, true))}
          >
            {#if editing && editing.row === row && editing.column === column}
              <CellEditor
                {workspace}
                {model}
                {table}
                {field}
                record={record.id}
                value={record.values[field.key]}
                start={editing.start}
                oncommit={commit}
                oncancel={() => ((editing = null), void go(row, column))}
              />
            {:else}
              <CellValue {model} {field} value={record.values[field.key]} />
            {/if}
          </div>
        {/each}
      </div>
    {/each}
  </div>
</div>

<style>
  .scroller {
    flex: 1;
    min-height: 0;
    overflow: auto;
    font-size: 13px;
    background: var(--raised);
  }
  .row {
    display: grid;
    width: max-content;
    min-width: 100%;
    height: var(--row);
  }
  .body {
    position: relative;
  }
  .body .row {
    position: absolute;
  }
  .head {
    position: sticky;
    top: 0;
    z-index: 3;
    background: var(--ground);
    border-bottom: 1px solid var(--line-strong);
  }
  [role='columnheader'],
  [role='gridcell'] {
    padding: 0 10px;
    overflow: hidden;
    line-height: calc(var(--row) - 1px);
    text-overflow: ellipsis;
    white-space: nowrap;
    border-right: 1px solid var(--line);
  }
  [role='columnheader'] {
    color: var(--ink-soft);
    font-weight: 600;
    background: var(--ground);
  }
  [role='gridcell'] {
    background-color: var(--raised);
    border-bottom: 1px solid var(--line);
    outline-offset: -2px;
  }
  [role='gridcell'].woven {
    background-color: var(--woven);
  }
  [role='gridcell']:focus {
    outline: 2px solid var(--woad);
  }
  [role='gridcell']:has(:global(input, textarea, [role='slider'])) {
    padding: 0 1px;
    overflow: visible;
    z-index: 4;
  }
  [aria-selected='true'] [role='gridcell'] {
    background-color: var(--woad-tint);
    background-image: none;
  }
  .title {
    position: sticky;
    left: 0;
    z-index: 2;
    font-weight: 600;
    border-right: 1px solid var(--line-strong);
  }
  .right {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .marked {
    animation: changed 1.8s ease-out;
  }
  @keyframes changed {
    0%,
    40% {
      background: var(--weld-tint);
      box-shadow: inset 0 -2px 0 var(--weld);
    }
  }
  @media (prefers-reduced-motion: reduce) {
    .marked {
      animation: none;
      background: var(--weld-tint);
    }
  }
</style>
