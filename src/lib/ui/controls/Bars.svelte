<script lang="ts">
  /** Counts as bars: lying beside their words, or standing where they are steps of a scale. */
  const {
    bars,
    lying = false,
    called,
    unit,
    labels: labelWidth = 120,
  }: {
    bars: readonly { readonly label: string; readonly count: number }[];
    lying?: boolean;
    /** What the bars show, for those who do not see them. */
    called: string;
    unit: string;
    /** In pixels: the room for the labels of lying bars. */
    labels?: number;
  } = $props();
  const most = $derived(Math.max(1, ...bars.map(({ count }) => count)));
  const share = (count: number) => `${(count * 100) / most}%`;
  const start = (label: string | undefined) => label?.split(' – ')[0] ?? '';
</script>

{#if lying}
  <table class="lying" style:--labels="{labelWidth}px">
    <caption class="sr-only">{called}</caption>
    <tbody>
      {#each bars as { label, count }, index (index)}
        <tr>
          <th scope="row" title={label}>{label}</th>
          <td><span class="bar" style:width="calc({share(count)} * 0.8)"></span>{count.toLocaleString()}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{:else}
  <div class="standing" role="img" aria-label={called}>
    {#each bars as { label, count }, index (index)}
      <span title="{label}: {count.toLocaleString()} {unit}"><i style:height={share(count)}></i></span>
    {/each}
  </div>
  <p class="ends" aria-hidden="true"><span>{start(bars[0]?.label)}</span><span>{start(bars.at(-1)?.label)}</span></p>
  <details>
    <summary>As a table</summary>
    <table>
      <caption class="sr-only">{called}</caption>
      <tbody>
        {#each bars as { label, count }, index (index)}
          <tr><th scope="row">{label}</th><td class="count">{count.toLocaleString()}</td></tr>
        {/each}
      </tbody>
    </table>
  </details>
{/if}

<style>
  table {
    width: 100%;
    font-size: 12px;
  }
  th {
    font-weight: 400;
    text-align: left;
  }
  .count {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .lying {
    table-layout: fixed;
    color: var(--ink-soft);
  }
  .lying th {
    width: var(--labels);
    overflow: hidden;
    padding-right: 8px;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .bar {
    display: inline-block;
    min-width: 2px;
    height: 12px;
    margin-right: 6px;
    vertical-align: -1px;
    background: var(--woad);
  }
  .standing {
    display: flex;
    gap: 2px;
    align-items: stretch;
    height: 90px;
    border-bottom: 1px solid var(--line-strong);
  }
  .standing span {
    display: flex;
    flex: 1;
    align-items: flex-end;
  }
  .standing span:hover {
    background: var(--sunken);
  }
  .standing i {
    flex: 1;
    min-height: 1px;
    background: var(--woad);
  }
  .ends {
    display: flex;
    justify-content: space-between;
    color: var(--ink-soft);
    font-size: 11px;
  }
  summary {
    color: var(--ink-faint);
    font-size: 12px;
  }
</style>
