<script lang="ts">
  import type { AskedData } from '$core/summaries/data';
  import { chartAsked, type ChartBlock } from '$core/summaries/chart/asked';
  import { chartOption } from '$core/summaries/chart/option';
  import { seriesOf, type Reading } from '$core/summaries/chart/series';
  import type { EChartsType } from './drawing';

  /**
   * A chart of a block. With the arrow keys one goes from bar to bar and hears what each says; Enter shows its records.
   */
  const {
    block,
    data,
    reading,
    title,
    onchoose,
  }: {
    block: ChartBlock;
    data: AskedData;
    reading: Reading;
    title: string;
    /** Shows the records of a value; none where there are none to show. */
    onchoose?: (values: readonly unknown[], against: boolean, words: string) => void;
  } = $props();

  let holder = $state<HTMLElement | null>(null);
  let size = $state({ width: 0, height: 0 });
  let isDark = $state(false);
  let at = $state<{ readonly series: number; readonly index: number } | null>(null);

  const drawn = $derived(seriesOf(block, data, reading));
  const asked = $derived(chartAsked(block, data, drawn, size));
  const wordsOf = (series: number, index: number): string => {
    const [one, category] = [drawn.series[series], drawn.categories[index]];
    if (!one || !category) return '';
    if (block.chart === 'scatter')
      return `${category.label}: ${drawn.series.map((each) => `${each.label} ${each.texts[index] ?? ''}`).join(', ')}`;
    const only = drawn.series.length === 1 ? '' : ` · ${one.label}`;
    return `${category.label}${only}: ${one.texts[index] ?? '–'}`;
  };
  /** Where in the drawing a value stands; shares are one series each. */
  const placeOf = (series: number, index: number) =>
    block.chart === 'shares' ? { seriesIndex: index, dataIndex: 0 } : { seriesIndex: series, dataIndex: index };

  function choose(series: number, index: number) {
    const [one, category] = [drawn.series[series], drawn.categories[index]];
    if (!one || !category || category.others || !onchoose) return;
    const values = one.of === undefined ? category.values : [...category.values, one.of];
    onchoose(values, one.against, wordsOf(series, index));
  }

  // The chart is made once, and drawn anew for other data, another size or another light.
  let chart = $state.raw<EChartsType | null>(null);
  let draw: typeof import('./drawing') | null = null;
  $effect(() => {
    const element = holder;
    if (!element) return;
    let mine: EChartsType | null = null;
    let gone = false;
    void import('./drawing').then((drawing) => {
      if (gone) return;
      draw = drawing;
      mine = drawing.drawIn(element);
      mine.on('click', ({ seriesIndex = 0, dataIndex }) =>
        block.chart === 'shares' ? choose(0, seriesIndex) : choose(seriesIndex, dataIndex),
      );
      chart = mine;
    });
    const sized = new ResizeObserver(() => {
      size = { width: element.clientWidth, height: element.clientHeight };
      mine?.resize();
    });
    sized.observe(element);
    const light = new MutationObserver(() => (isDark = document.documentElement.classList.contains('dark')));
    light.observe(document.documentElement, { attributeFilter: ['class'] });
    return () => {
      gone = true;
      sized.disconnect();
      light.disconnect();
      mine?.dispose();
      chart = null;
    };
  });
  const formatted = $derived((params: unknown): string => {
    const all = (Array.isArray(params) ? params : [params]) as { seriesIndex: number; dataIndex: number }[];
    const lines = all.map(({ seriesIndex, dataIndex }) =>
      block.chart === 'shares' ? wordsOf(0, seriesIndex) : wordsOf(seriesIndex, dataIndex),
    );
    return lines.map(escaped).join('<br>');
  });
  const escaped = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
  function optionNow() {
    if (!draw || !holder) return null;
    const look = draw.lookAt(holder);
    const option = chartOption(drawn, asked, look);
    return { look, option: { ...option, tooltip: { ...(option.tooltip as object), formatter: formatted } } };
  }
  $effect(() => {
    void [isDark, drawn, asked, formatted];
    const now = chart && size.width > 0 ? optionNow() : null;
    if (!now) return;
    chart?.setOption(now.option, { notMerge: true });
    // On paper it is drawn as large as there is room.
    holder?.querySelector('svg')?.setAttribute('viewBox', `0 0 ${size.width} ${size.height}`);
  });

  /** The chart as a picture, by its address. */
  export function picture(kind: 'svg' | 'png'): string | null {
    const now = optionNow();
    return draw && now ? draw.pictureOf(now.option, now.look, size, kind) : null;
  }

  function show(next: typeof at) {
    if (at) chart?.dispatchAction({ type: 'downplay', ...placeOf(at.series, at.index) });
    at = next;
    if (!next) return void chart?.dispatchAction({ type: 'hideTip' });
    chart?.dispatchAction({ type: 'highlight', ...placeOf(next.series, next.index) });
    chart?.dispatchAction({ type: 'showTip', ...placeOf(next.series, next.index) });
  }
  function key(event: KeyboardEvent) {
    const [series, categories] = [drawn.series.length, drawn.categories.length];
    const { series: s, index: i } = at ?? { series: 0, index: -1 };
    const to = (index: number, one = s) =>
      show({ series: Math.max(0, Math.min(series - 1, one)), index: Math.max(0, Math.min(categories - 1, index)) });
    if (event.key === 'ArrowRight') to(i + 1);
    else if (event.key === 'ArrowLeft') to(i - 1);
    else if (event.key === 'ArrowDown') to(Math.max(0, i), s + 1);
    else if (event.key === 'ArrowUp') to(Math.max(0, i), s - 1);
    else if (event.key === 'Home') to(0);
    else if (event.key === 'End') to(categories - 1);
    else if (event.key === 'Enter' && at) choose(at.series, at.index);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="chart">
  <!-- One goes from bar to bar in it. -->
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
  <div
    class="drawing"
    bind:this={holder}
    role="application"
    aria-roledescription="chart"
    aria-label="{title}. Arrow keys go from value to value{onchoose ? ', Enter shows the records' : ''}."
    tabindex="0"
    onkeydown={key}
    onblur={() => show(null)}
  ></div>
  <p class="sr-only" aria-live="polite">{at ? wordsOf(at.series, at.index) : ''}</p>
  {#if drawn.categories.length === 0}<p class="nothing">No records.</p>{/if}
  {#if drawn.leftOut.length > 0}<p class="left-out">Not shown: {drawn.leftOut.join('; ')}.</p>{/if}
</div>

<style>
  .chart {
    position: relative;
    display: flex;
    flex: 1;
    flex-direction: column;
    min-height: 0;
  }
  .drawing {
    flex: 1;
    min-height: 0;
    cursor: default;
    outline-offset: -2px;
  }
  @media print {
    .drawing :global(div),
    .drawing :global(svg) {
      width: 100% !important;
      height: 100% !important;
    }
  }
  .nothing {
    position: absolute;
    inset: 0;
    display: grid;
    place-content: center;
    color: var(--ink-soft);
    pointer-events: none;
  }
  .left-out {
    color: var(--weld);
    font-size: 12px;
  }
</style>
