<script lang="ts">
  import type { Proposal } from '$core/intake/intake';
  import type { Model } from '$core/types/model';
  import type { Point } from '$core/weave/route';
  import { halves, pathData, strands } from '$core/weave/svg';
  import { boxHeight, boxWidth, headHeight, rowHeight, weaveOf, type Weave } from '$core/weave/weave';
  import { placesFor } from '../weave/layout';
  import { linkMargin, RunRouter } from '../weave/router';

  /**
   * What will stand at the end, as a small Weave: new tables drawn in full, those that stand already with a broken
   * edge; a box leads to its sheet.
   */
  const {
    model,
    after,
    proposal,
    rows,
    onchoose,
  }: {
    model: Model;
    /** The model with what would be made. */
    after: Model;
    proposal: Proposal;
    /** Rows that go to each table, by its identity. */ rows: ReadonlyMap<string, number>;
    onchoose: (table: string) => void;
  } = $props();

  const standing = $derived(new Set(model.tables.map(({ id }) => id)));
  /** Only what rows go to and what those link to, each with its title and links. */
  const weave = $derived.by((): Weave => {
    const all = weaveOf(after);
    const mine = new Set(proposal.mappings.map(({ table }) => table));
    const threads = all.threads.filter(({ from, to }) => mine.has(from) || mine.has(to));
    const near = new Set([...mine, ...threads.flatMap(({ from, to }) => [from, to])]);
    const titles = new Set(after.tables.map(({ title }) => title));
    const linked = new Set(threads.flatMap(({ fromField, toField }) => [fromField, toField]));
    return {
      threads,
      tables: all.tables.flatMap((table) => {
        if (!near.has(table.id)) return [];
        const shown = table.rows.filter(({ id }) => linked.has(id) || titles.has(id));
        return [{ ...table, rows: shown, more: table.rows.length + table.more - shown.length }];
      }),
    };
  });
  let places = $state.raw<Readonly<Record<string, Point | null>>>({});
  let paths = $state.raw<ReadonlyMap<string, readonly Point[]>>(new Map());
  $effect(() => {
    const now = weave;
    const router = new RunRouter(linkMargin);
    let gone = false;
    void (async () => {
      const found = await placesFor(now, {}, { between: 64, beside: 26, aspect: 4 });
      const routed = await router.route(now, now.threads, found);
      if (gone || !routed) return;
      [places, paths] = [found, routed];
    })();
    return () => {
      gone = true;
      router.stop();
    };
  });
  const drawn = $derived(weave.tables.filter(({ id }) => places[id]));
  const at = (id: string): Point => places[id] ?? { x: 0, y: 0 };
  const points = $derived([
    ...drawn.flatMap((table) => [at(table.id), { x: at(table.id).x + boxWidth, y: at(table.id).y + boxHeight(table) }]),
    ...[...paths.values()].flat(),
  ]);
  const edge = 14;
  const box = $derived({
    x: Math.min(...points.map(({ x }) => x)) - edge,
    y: Math.min(...points.map(({ y }) => y)) - edge,
    width: Math.max(...points.map(({ x }) => x)) - Math.min(...points.map(({ x }) => x)) + 2 * edge,
    height: Math.max(...points.map(({ y }) => y)) - Math.min(...points.map(({ y }) => y)) + 2 * edge,
  });
  const dyeOf = (id: string) => `var(--dye-${weave.tables.find((table) => table.id === id)?.dye ?? 'slate'})`;
  const words = (id: string) => {
    const count = rows.get(id);
    return count === undefined ? 'stands' : `${standing.has(id) ? 'gets' : 'new,'} ${count.toLocaleString()}`;
  };
</script>

{#if drawn.length > 0}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="weave" tabindex="0" role="region" aria-label="Map of the tables after loading">
    <svg
      viewBox="{box.x} {box.y} {box.width} {box.height}"
      style:max-height="{Math.min(380, box.height)}px"
      style:min-width="{box.width * 0.8}px"
      style:max-width="{box.width}px"
      aria-label="Tables after loading"
      role="group"
    >
      {#each weave.threads as thread (thread.id)}
        {@const path = paths.get(thread.id) ?? []}
        {@const [first, second] = halves(path)}
        <path d={pathData(first)} stroke={dyeOf(thread.from)} /><path d={pathData(second)} stroke={dyeOf(thread.to)} />
        {#if thread.manyFrom}<path d={strands(path[0], path[1])} stroke={dyeOf(thread.from)} />{/if}
        {#if thread.manyTo}<path d={strands(path.at(-1), path.at(-2))} stroke={dyeOf(thread.to)} />{/if}
      {/each}
      {#each drawn as table (table.id)}
        <g
          transform="translate({at(table.id).x} {at(table.id).y})"
          style:--dye={dyeOf(table.id)}
          class:stands={standing.has(table.id)}
          role="button"
          tabindex="0"
          aria-label="{table.label}: {words(table.id)}"
          onclick={() => onchoose(table.id)}
          onkeydown={(event) =>
            (event.key === 'Enter' || event.key === ' ') && (event.preventDefault(), onchoose(table.id))}
        >
          <rect class="body" width={boxWidth} height={boxHeight(table)} rx="4" />
          <rect class="selvedge" width={boxWidth} height="4" />
          <text class="title" x="10" y="21"
            >{table.label.length > 16 ? `${table.label.slice(0, 15)}…` : table.label}</text
          >
          <text class="count" x={boxWidth - 10} y="21">{words(table.id)}</text>
          {#each table.rows as row, index (row.id)}<text class={row.kind} x="10" y={headHeight + index * rowHeight + 14}
              >{row.label}</text
            >{/each}
          {#if table.more > 0}<text class="more" x="10" y={headHeight + table.rows.length * rowHeight + 14}
              >and {table.more} more {table.more === 1 ? 'field' : 'fields'}</text
            >{/if}
        </g>
      {/each}
    </svg>
  </div>
{:else if weave.tables.length > 0}
  <p class="weave drawing" role="status">Drawing the map …</p>
{/if}

<style>
  /* The room that most drawings take, so that nothing jumps once it stands. */
  .drawing {
    min-height: 190px;
    color: var(--ink-faint);
  }
  .weave {
    margin-bottom: 14px;
    overflow-x: auto;
  }
  svg {
    display: block;
    width: 100%;
  }
  path {
    fill: none;
    stroke-width: 1.8;
  }
  g {
    cursor: pointer;
  }
  g:focus-visible {
    outline: none;
  }
  g:focus-visible .body {
    stroke: var(--woad);
    stroke-width: 2.5;
  }
  .body {
    fill: var(--raised);
    stroke: var(--line-strong);
  }
  .stands .body {
    fill: var(--ground);
    stroke-dasharray: 5 4;
  }
  .selvedge {
    fill: var(--dye);
  }
  text {
    fill: var(--ink-soft);
    font-size: 12px;
  }
  .title {
    fill: var(--ink);
    font-size: 14px;
    font-weight: 600;
  }
  .count {
    text-anchor: end;
  }
  .link {
    fill: var(--woad);
  }
  .more {
    fill: var(--ink-faint);
    font-size: 11px;
  }
</style>
