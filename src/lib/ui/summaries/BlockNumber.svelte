<script lang="ts">
  import { changeOf, type AskedData } from '$core/summaries/data';
  import type { Reading } from '$core/summaries/chart/series';

  /** One number, with its change against the period before. */
  const {
    data,
    reading,
    onchoose,
  }: {
    data: AskedData;
    reading: Reading;
    onchoose: (values: readonly unknown[], against: boolean, words: string) => void;
  } = $props();
  const measure = $derived(data.measures[0]);
  const now = $derived(data.whole.totals[0] ?? null);
  const before = $derived(data.whole.against?.totals[0] ?? null);
  const text = (value: unknown) => (value === null || !measure ? '–' : reading.value(value, measure.type));
  const upTo = $derived(data.period?.toDate ? ' up to the same day' : '');
  const change = $derived(changeOf(now, before));
  const percent = new Intl.NumberFormat(undefined, {
    style: 'percent',
    maximumFractionDigits: 1,
    signDisplay: 'exceptZero',
  });
</script>

<div class="number">
  <button class="value" title="Show its records" onclick={() => onchoose([], false, measure?.label ?? '')}
    >{text(now)}</button
  >
  {#if data.period}
    <p>
      {#if data.period.against}
        {#if change === null}
          {data.againstWords}{upTo}: {before === null ? 'none' : text(before)}
        {:else}
          <b>{percent.format(change)}</b> against {text(before)}, {data.againstWords}{upTo}
        {/if}
      {:else}{data.periodWords}{/if}
    </p>
  {/if}
</div>

<style>
  .number {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-height: 0;
  }
  .value {
    overflow: hidden;
    font-size: 30px;
    font-weight: 600;
    line-height: 1.15;
    font-variant-numeric: tabular-nums;
    text-align: left;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .value:hover {
    color: var(--woad);
  }
  p {
    color: var(--ink-soft);
    font-size: 13px;
    line-height: 1.3;
  }
  b {
    color: var(--ink);
  }
</style>
