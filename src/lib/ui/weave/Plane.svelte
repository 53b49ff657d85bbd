<script lang="ts">
  import { counted } from '../values/words';
  import { untrack } from 'svelte';
  import type { Point } from '$core/weave/route';
  import { arrow, halves, pathData, strands } from '$core/weave/svg';
  import Button from '$ui/controls/Button.svelte';
  import {
    boxHeight,
    boxWidth,
    headHeight,
    rowHeight,
    type Weave,
    type WeaveRun,
    type WeaveTable,
  } from '$core/weave/weave';

  /**
   * Tables as boxes and links as threads, moved and drawn by pointer and by keyboard; only what is in sight is drawn.
   */
  const {
    weave,
    places,
    paths,
    flows,
    table: chosenTable,
    field: chosenField,
    lit,
    shown,
    mayDesign,
    onchoose,
    onplace,
    ontable,
    onfield,
    onlink,
  }: {
    weave: Weave;
    places: Readonly<Record<string, Point | null>>;
    paths: ReadonlyMap<string, readonly Point[]>;
    /** What is calculated from what, as far as it is shown. */
    flows: { readonly runs: readonly WeaveRun[]; readonly paths: ReadonlyMap<string, readonly Point[]> };
    table: string | null;
    field: string | null;
    /** Fields up and down the stream of the chosen one; null when none is chosen. */
    lit: { readonly from: ReadonlySet<string>; readonly to: ReadonlySet<string> } | null;
    /** Tables that are not dimmed. */
    shown: ReadonlySet<string> | null;
    mayDesign: boolean;
    /** `beside`: as a second table, beside the one that is chosen. */
    onchoose: (table: string, field: string | null, beside?: boolean) => void;
    onplace: (table: string, place: Point, done: boolean) => void;
    /** Asks for a new table at a place, for a new field of a table, for a link from one to another. */
    ontable: (place: Point) => void;
    onfield: (table: string) => void;
    onlink: (from: string, to: string) => void;
  } = $props();

  let width = $state(1000);
  let height = $state(700);
  let view = $state({ x: -40, y: -40, zoom: 1 });
  let svg = $state<SVGSVGElement | null>(null);
  let drag: { kind: 'pan' | 'box' | 'link'; id: string; x: number; y: number; start: Point } | null = null;
  let drawing = $state<{ from: Point; to: Point } | null>(null);

  const at = (id: string): Point => places[id] ?? { x: 0, y: 0 };
  const inSight = $derived(
    weave.tables.filter((table) => {
      const { x, y } = at(table.id);
      const [w, h] = [width / view.zoom, height / view.zoom];
      return (
        places[table.id] && x + boxWidth > view.x && x < view.x + w && y + boxHeight(table) > view.y && y < view.y + h
      );
    }),
  );
  const sighted = $derived(new Set(inSight.map(({ id }) => id)));
  const drawn = $derived(
    weave.threads.filter(({ from, to, id }) => (sighted.has(from) || sighted.has(to)) && paths.has(id)),
  );
  const flowing = $derived(
    flows.runs.filter(({ from, to, id }) => (sighted.has(from) || sighted.has(to)) && flows.paths.has(id)),
  );
  const detailed = $derived(view.zoom > 0.45);
  const dyeOf = (id: string) => `var(--dye-${weave.tables.find((table) => table.id === id)?.dye ?? 'slate'})`;
  const dimmed = (id: string) => shown !== null && !shown.has(id);
  const rowLit = (id: string) =>
    lit === null ? '' : id === chosenField ? 'chosen' : lit.from.has(id) ? 'from' : lit.to.has(id) ? 'to' : 'dim';

  /** Brings everything, or one table, into sight. */
  export function fit(id?: string) {
    const tables = id
      ? weave.tables.filter((table) => table.id === id)
      : weave.tables.filter((table) => places[table.id]);
    if (tables.length === 0) return;
    if (id) {
      const { x, y } = at(id);
      const zoom = Math.max(view.zoom, 0.8);
      view = { zoom, x: x + boxWidth / 2 - width / zoom / 2, y: y - 80 / zoom };
      return;
    }
    const left = Math.min(...tables.map((table) => at(table.id).x)) - 30;
    const top = Math.min(...tables.map((table) => at(table.id).y)) - 30;
    const right = Math.max(...tables.map((table) => at(table.id).x + boxWidth)) + 30;
    const bottom = Math.max(...tables.map((table) => at(table.id).y + boxHeight(table))) + 30;
    // The foot is for the buttons.
    const room = height - 44;
    const zoom = Math.min(1.2, width / (right - left), room / (bottom - top));
    view = {
      zoom,
      x: left - (width / zoom - (right - left)) / 2,
      y: top - Math.max(0, (room / zoom - (bottom - top)) / 2),
    };
  }

  export function zoomBy(factor: number, centre: Point = { x: width / 2, y: height / 2 }) {
    const zoom = Math.max(0.08, Math.min(2.5, view.zoom * factor));
    view = {
      zoom,
      x: view.x + centre.x / view.zoom - centre.x / zoom,
      y: view.y + centre.y / view.zoom - centre.y / zoom,
    };
  }

  // The inspector takes room when a table is chosen: what was chosen stays in sight.
  $effect(() => {
    const id = chosenTable;
    const table = weave.tables.find((one) => one.id === id);
    const [w, h] = [width, height];
    untrack(() => {
      if (!table || drag) return;
      const { x, y } = at(table.id);
      const [right, bottom] = [view.x + w / view.zoom, view.y + h / view.zoom];
      const dx = x + boxWidth + 20 > right ? x + boxWidth + 20 - right : x - 20 < view.x ? x - 20 - view.x : 0;
      const dy = y < view.y ? y - 20 - view.y : y + 60 > bottom ? y + 120 - bottom : 0;
      if (dx !== 0 || dy !== 0) view = { ...view, x: view.x + dx, y: view.y + dy };
    });
  });

  const pointOf = (event: MouseEvent): Point => {
    const box = svg?.getBoundingClientRect();
    return {
      x: view.x + (event.clientX - (box?.left ?? 0)) / view.zoom,
      y: view.y + (event.clientY - (box?.top ?? 0)) / view.zoom,
    };
  };

  function down(event: PointerEvent) {
    if (event.button !== 0) return;
    const target = event.target as Element;
    const id = target.closest<SVGElement>('[data-table]')?.dataset.table ?? '';
    const kind = target.closest('.handle')
      ? 'link'
      : id && target.closest('.head') && mayDesign
        ? 'box'
        : id
          ? null
          : 'pan';
    if (!kind) return;
    drag = {
      kind,
      id,
      x: event.clientX,
      y: event.clientY,
      start: kind === 'box' ? at(id) : kind === 'pan' ? { x: view.x, y: view.y } : pointOf(event),
    };
    svg?.setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent) {
    if (!drag) return;
    const [dx, dy] = [(event.clientX - drag.x) / view.zoom, (event.clientY - drag.y) / view.zoom];
    if (drag.kind === 'pan') view = { ...view, x: drag.start.x - dx, y: drag.start.y - dy };
    else if (drag.kind === 'box' && Math.abs(dx) + Math.abs(dy) > 2)
      onplace(drag.id, { x: Math.round(drag.start.x + dx), y: Math.round(drag.start.y + dy) }, false);
    else if (drag.kind === 'link') drawing = { from: drag.start, to: pointOf(event) };
  }

  function up(event: PointerEvent) {
    const ended = drag;
    drag = null;
    if (!ended) return;
    if (ended.kind === 'box' && Math.abs(event.clientX - ended.x) + Math.abs(event.clientY - ended.y) > 2)
      onplace(ended.id, at(ended.id), true);
    if (ended.kind === 'box' && Math.abs(event.clientX - ended.x) + Math.abs(event.clientY - ended.y) <= 2)
      onchoose(ended.id, null, event.shiftKey);
    if (ended.kind === 'link') {
      drawing = null;
      const over = document.elementFromPoint(event.clientX, event.clientY)?.closest<SVGElement>('[data-table]')
        ?.dataset.table;
      if (over) onlink(ended.id, over);
    }
  }

  /** The table nearest in a direction, for walking by arrow keys. */
  function nearest(from: WeaveTable, key: string): WeaveTable | undefined {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[key];
    if (!way) return undefined;
    const here = at(from.id);
    return weave.tables
      .filter((table) => table.id !== from.id)
      .map((table) => {
        const [dx, dy] = [at(table.id).x - here.x, at(table.id).y - here.y];
        const along = dx * (way[0] ?? 0) + dy * (way[1] ?? 0);
        return { table, along, apart: along + 2 * Math.abs(way[0] ? dy : dx) };
      })
      .filter(({ along }) => along > 10)
      .sort((a, b) => a.apart - b.apart)[0]?.table;
  }

  function key(event: KeyboardEvent, table: WeaveTable) {
    const rows = table.rows;
    const index = rows.findIndex(({ id }) => id === chosenField);
    if (event.altKey && event.key.startsWith('Arrow') && mayDesign) {
      const by = { ArrowRight: [20, 0], ArrowLeft: [-20, 0], ArrowDown: [0, 20], ArrowUp: [0, -20] }[event.key] ?? [
        0, 0,
      ];
      onplace(table.id, { x: at(table.id).x + (by[0] ?? 0), y: at(table.id).y + (by[1] ?? 0) }, true);
    } else if (event.key.startsWith('Arrow')) {
      const next = nearest(table, event.key);
      if (next) {
        onchoose(next.id, null);
        queueMicrotask(() => svg?.querySelector<SVGElement>(`[data-table="${next.id}"]`)?.focus());
        if (!sighted.has(next.id)) fit(next.id);
      }
    } else if (event.key === 'Enter') onchoose(table.id, event.shiftKey ? null : chosenField, event.shiftKey);
    else if (event.key === 'PageDown' || event.key === 'PageUp') {
      const row =
        rows[
          (index + (event.key === 'PageDown' ? 1 : -1) + rows.length + (index < 0 && event.key === 'PageUp' ? 1 : 0)) %
            Math.max(1, rows.length)
        ];
      if (row) onchoose(table.id, row.id);
    } else if (event.key === '+' || event.key === '-') zoomBy(event.key === '+' ? 1.2 : 1 / 1.2);
    else if (event.key === '0') fit();
    else if (event.key.toLowerCase() === 'f' && mayDesign) onfield(table.id);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    const box = svg?.getBoundingClientRect();
    if (event.ctrlKey || event.metaKey || !event.shiftKey)
      zoomBy(Math.exp(-event.deltaY / 600), {
        x: event.clientX - (box?.left ?? 0),
        y: event.clientY - (box?.top ?? 0),
      });
    else view = { ...view, x: view.x + event.deltaY / view.zoom };
  }
  const wheeled = (node: SVGSVGElement) => {
    node.addEventListener('wheel', wheel, { passive: false });
    return () => node.removeEventListener('wheel', wheel);
  };
</script>

<div class="plane" bind:clientWidth={width} bind:clientHeight={height}>
  <svg
    bind:this={svg}
    {@attach wheeled}
    style:--thin="{Math.max(1.6, 0.9 / view.zoom)}px"
    class:far={!detailed}
    viewBox="{view.x} {view.y} {width / view.zoom} {height / view.zoom}"
    role="application"
    aria-label="Weave: arrow keys walk from table to table, Page up and down through the fields of one, F adds a field, Alt with arrows moves a table"
    onpointerdown={down}
    onpointermove={move}
    onpointerup={up}
    ondblclick={(event) => mayDesign && !(event.target as Element).closest('[data-table]') && ontable(pointOf(event))}
  >
    {#each drawn as thread (thread.id)}
      {@const points = paths.get(thread.id) ?? []}
      {@const [first, second] = halves(points)}
      {@const strong = chosenField === thread.fromField || chosenField === thread.toField}
      <g class="thread" class:strong class:dim={dimmed(thread.from) || dimmed(thread.to) || (lit !== null && !strong)}>
        <path d={pathData(first)} stroke={dyeOf(thread.from)} /><path d={pathData(second)} stroke={dyeOf(thread.to)} />
        {#if thread.manyFrom}<path d={strands(points[0], points[1])} stroke={dyeOf(thread.from)} />{/if}
        {#if thread.manyTo}<path d={strands(points.at(-1), points.at(-2))} stroke={dyeOf(thread.to)} />{/if}
      </g>
    {/each}
    {#each flowing as flow (flow.id)}
      {@const points = flows.paths.get(flow.id) ?? []}
      <g class="flow" class:dim={dimmed(flow.from) || dimmed(flow.to)} style:--dye={dyeOf(flow.from)}>
        <path d={pathData(points)} /><path class="arrow" d={arrow(points.at(-1), points.at(-2))} />
      </g>
    {/each}
    {#each inSight as table (table.id)}
      {@const { x, y } = at(table.id)}
      <!-- svelte-ignore a11y_no_noninteractive_element_interactions, a11y_no_noninteractive_tabindex,
           a11y_click_events_have_key_events -->
      <g
        class="box"
        class:chosen={chosenTable === table.id}
        class:dim={dimmed(table.id)}
        class:stub={table.home !== null}
        class:waiting={table.waiting}
        data-table={table.id}
        transform="translate({x} {y})"
        style:--dye={dyeOf(table.id)}
        role="group"
        tabindex={chosenTable === table.id || (chosenTable === null && table === inSight[0]) ? 0 : -1}
        aria-label="{table.label}, {counted(table.rows.length + table.more, 'field')}{table.waiting
          ? ', will be created'
          : ''}"
        onkeydown={(event) => key(event, table)}
        onclick={(event) => !mayDesign && onchoose(table.id, null, event.shiftKey)}
      >
        <rect class="body" width={boxWidth} height={boxHeight(table)} rx="4" />
        <rect class="selvedge" width={boxWidth} height="4" />
        <rect class="head" width={boxWidth} height={headHeight} fill="transparent" />
        <text class="title" x="10" y="21" class:small={!detailed}
          >{table.home === null ? table.label : `${table.home}: ${table.label}`}</text
        >
        {#if mayDesign && detailed && table.home === null}<circle class="handle" cx={boxWidth - 14} cy="17" r="6"
            ><title>Drag to another table to link them</title></circle
          >{/if}
        {#if detailed}
          {#each table.rows as row, index (row.id)}
            <g
              class="row {row.kind} {rowLit(row.id)}"
              class:waiting={row.waiting}
              transform="translate(0 {headHeight + index * rowHeight})"
              role="button"
              tabindex="-1"
              aria-label={row.label}
              onclick={(event) => (event.stopPropagation(), onchoose(table.id, row.id))}
            >
              <rect width={boxWidth - 2} x="1" height={rowHeight} />
              <text x="10" y="14">{row.kind === 'calculated' ? 'ƒ ' : ''}{row.label}</text>
            </g>
          {/each}
          {#if table.more > 0}<text class="more" x="10" y={headHeight + table.rows.length * rowHeight + 14}
              >and {table.more} more</text
            >{/if}
        {/if}
      </g>
    {/each}
    {#if drawing}<path class="drawing" d="M{drawing.from.x} {drawing.from.y} L{drawing.to.x} {drawing.to.y}" />{/if}
  </svg>
  <div class="zoom">
    <Button kind="quiet" onclick={() => zoomBy(1 / 1.3)} title="−" label="Smaller">−</Button>
    <Button kind="quiet" onclick={() => zoomBy(1.3)} title="+" label="Larger">+</Button>
    <Button kind="quiet" onclick={() => fit()} title="0">All in sight</Button>
  </div>
</div>

<style>
  .plane {
    position: relative;
    flex: 1;
    min-height: 0;
    overflow: hidden;
    background: var(--ground);
  }
  svg {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    cursor: grab;
    user-select: none;
    touch-action: none;
  }
  path {
    fill: none;
    stroke-width: var(--thin);
  }
  .strong path {
    stroke-width: calc(2 * var(--thin));
  }
  .flow path {
    stroke: var(--dye);
    stroke-width: calc(0.8 * var(--thin));
    stroke-dasharray: 2 3;
  }
  .flow .arrow {
    fill: var(--dye);
    stroke: none;
  }
  .zoom {
    position: absolute;
    right: 10px;
    bottom: 10px;
    display: flex;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .drawing {
    stroke: var(--woad);
    stroke-dasharray: 5 4;
    pointer-events: none;
  }
  .body {
    fill: var(--raised);
    stroke: var(--line-strong);
  }
  .waiting .body {
    stroke-dasharray: 5 4;
  }
  .row.waiting text {
    font-style: italic;
  }
  .stub .body {
    fill: var(--sunken);
    stroke-dasharray: 4 3;
  }
  /* Too small to read: what is left of a table is its dye. */
  .far .body {
    fill: color-mix(in srgb, var(--dye) 28%, var(--raised));
  }
  .selvedge {
    fill: var(--dye);
  }
  .head {
    cursor: move;
  }
  .title {
    font-size: 14px;
    font-weight: 600;
    fill: var(--ink);
    pointer-events: none;
  }
  .small {
    font-size: 26px;
    transform: translateY(10px);
  }
  .row {
    cursor: pointer;
    outline: none;
  }
  .row rect {
    fill: transparent;
  }
  .row text,
  .more {
    font-size: 12px;
    fill: var(--ink-soft);
    pointer-events: none;
  }
  .row.link text,
  .row.linked text,
  .row.calculated text {
    fill: var(--ink);
  }
  .row.calculated rect {
    fill: var(--woven);
  }
  .row:hover rect {
    fill: var(--woad-tint);
  }
  .row.chosen rect {
    fill: var(--woad);
  }
  .row.chosen text {
    fill: var(--woad-ink);
    font-weight: 600;
  }
  .row.from rect {
    fill: var(--lichen-tint);
  }
  .row.to rect {
    fill: var(--weld-tint);
  }
  .row.dim text {
    opacity: 0.6;
  }
  .box {
    outline: none;
  }
  .box.chosen .body,
  .box:focus-visible .body {
    stroke: var(--woad);
    stroke-width: 2.5;
  }
  .dim {
    opacity: 0.32;
  }
  .handle {
    fill: var(--raised);
    stroke: var(--dye);
    stroke-width: 2;
    cursor: crosshair;
  }
</style>
