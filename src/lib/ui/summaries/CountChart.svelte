<script lang="ts">
  import type { AskedData } from '$core/summaries/data';
  import type { Measure } from '$core/types/summary';
  import BlockChart from './BlockChart.svelte';
  import { bareReading } from '$core/summaries/reading';

  /** Counts as a small chart, with their table: lying beside their words, or standing where they are steps of a scale. */
  const {
    bars,
    lying = false,
    called,
    unit,
  }: {
    bars: readonly { readonly label: string; readonly count: number }[];
    lying?: boolean;
    /** What the bars show. */
    called: string;
    unit: string;
  } = $props();
  const count: Measure = { label: '', total: 'count', of: null, where: null };
  const block = $derived({
    chart: lying ? ('bars' as const) : ('distribution' as const),
    limit: null,
    measures: [count],
    groups: [],
  });
  const data = $derived<AskedData>({
    groups: [{ label: '', type: { kind: 'text' } }],
    measures: [{ label: unit, type: { kind: 'number', digits: 0 } }],
    whole: { count: 0, totals: [null] },
    rows: bars.map((one) => ({ level: 1, values: [one.label], count: one.count, totals: [one.count] })),
    cut: false,
    period: null,
    periodWords: '',
    againstWords: '',
    unfiltered: [],
  });
  const reading = {
    ...bareReading,
    value: (value: unknown) => (typeof value === 'number' ? value.toLocaleString() : String(value)),
  };
</script>

<div class="counts" style:height="{lying ? bars.length * 22 + 56 : 170}px">
  <BlockChart {block} {data} {reading} title={called} />
</div>
<details>
  <summary>As a table</summary>
  <table>
    <caption class="sr-only">{called}</caption>
    <tbody>
      {#each bars as one, index (index)}
        <tr><th scope="row">{one.label}</th><td>{one.count.toLocaleString()}</td></tr>
      {/each}
    </tbody>
  </table>
</details>

<style>
  .counts {
    display: flex;
    flex-direction: column;
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
  summary {
    min-height: 24px;
    padding: 3px 0;
    color: var(--ink-faint);
    font-size: 12px;
  }
</style>
