<script lang="ts">
  import type { Attachment } from 'svelte/attachments';

  /**
   * Bars with their counts, lying where labels are words, standing where they are steps of a scale; the same as a table
   * beside it.
   */
  const {
    bars,
    lying = false,
    called,
    unit,
    labels: labelWidth = 120,
    height = lying ? 14 + bars.length * 20 : 120,
  }: {
    bars: readonly { readonly label: string; readonly count: number }[];
    lying?: boolean;
    /** What the chart shows, for those who do not see it, and as the caption of its table. */
    called: string;
    unit: string;
    /** In pixels: the room for the labels of lying bars. */
    labels?: number;
    height?: number;
  } = $props();

  // The library is loaded when a chart is first shown; it draws with the colours of the light that is on.
  const drawn: Attachment<HTMLElement> = (node) => {
    let stop = () => {};
    let gone = false;
    const data = bars;
    void import('./echarts').then(({ openChart }) => {
      if (gone) return;
      const token = (name: string) => getComputedStyle(node).getPropertyValue(name).trim();
      const labels = {
        type: 'category' as const,
        data: data.map(({ label }) => label),
        axisLine: { lineStyle: { color: token('--line-strong') } },
        axisTick: { show: false },
      };
      const words = { color: token('--ink-soft'), fontFamily: token('--sans'), fontSize: 11 };
      const counts = { type: 'value' as const, splitLine: { show: false }, axisLabel: { show: false } };
      stop = openChart(node, {
        animation: false,
        grid: lying
          ? { left: 4, right: 46, top: 4, bottom: 4, containLabel: true }
          : { left: 4, right: 4, top: 8, bottom: 4, containLabel: true },
        tooltip: {
          trigger: 'axis',
          axisPointer: { type: 'shadow' },
          confine: true,
          valueFormatter: (value: unknown) => `${Number(value).toLocaleString()} ${unit}`,
        },
        xAxis: lying
          ? counts
          : {
              ...labels,
              axisLabel: {
                ...words,
                interval: Math.max(0, data.length - 2),
                formatter: (text: string) => text.split(' – ')[0] ?? text,
              },
            },
        yAxis: lying
          ? { ...labels, inverse: true, axisLabel: { ...words, width: labelWidth, overflow: 'truncate' } }
          : counts,
        series: [
          {
            type: 'bar',
            data: data.map(({ count }) => count),
            barCategoryGap: lying ? '35%' : '12%',
            itemStyle: { color: token('--woad') },
            label: lying
              ? {
                  show: true,
                  position: 'right',
                  ...words,
                  formatter: ({ value }: { value: unknown }) => Number(value).toLocaleString(),
                }
              : { show: false },
          },
        ],
      });
    });
    return () => {
      gone = true;
      stop();
    };
  };
</script>

<div class="chart" style:height="{height}px" role="img" aria-label={called} {@attach drawn}></div>
<details>
  <summary>As a table</summary>
  <table>
    <caption class="sr-only">{called}</caption>
    <tbody>
      {#each bars as { label, count }, index (index)}<tr
          ><th scope="row">{label}</th><td>{count.toLocaleString()}</td></tr
        >{/each}
    </tbody>
  </table>
</details>

<style>
  .chart {
    width: 100%;
  }
  summary {
    color: var(--ink-faint);
    font-size: 12px;
  }
  table {
    width: 100%;
    font-size: 12px;
  }
  th {
    font-weight: 400;
    text-align: left;
  }
  td {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
</style>
