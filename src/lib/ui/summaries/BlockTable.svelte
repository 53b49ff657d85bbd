<script lang="ts">
  import type { AskedData } from '$core/summaries/data';
  import { tableOf } from '$core/summaries/csv';
  import type { Reading } from '$core/summaries/chart/series';

  /** What a block comes to as a table: each row leads to its records. */
  const {
    data,
    reading,
    title,
    onchoose,
  }: {
    data: AskedData;
    reading: Reading;
    title: string;
    /** Shows the records of a row; none where there are none to show. */
    onchoose?: (values: readonly unknown[], against: boolean, words: string) => void;
  } = $props();
  const shown = $derived(tableOf(data, reading));
  const groups = $derived(data.groups.length);
</script>

<div class="scroll">
  <table>
    <caption class="sr-only">{title}</caption>
    <thead>
      <tr>
        {#each shown.head as label, index (index)}<th scope="col" class:number={index >= groups}>{label}</th>{/each}
      </tr>
    </thead>
    <tbody>
      {#each shown.rows as { cells, level, at } (at)}
        {@const row = data.rows[at]}
        <tr class:outer={level < groups}>
          {#each cells as text, index (index)}
            {#if index < groups}
              <th scope="row" class:same={index < level - 1}>
                {#if onchoose && index === level - 1 && row?.others === undefined}
                  <button onclick={() => row && onchoose(row.values, false, text)} title="Show its records"
                    >{text}</button
                  >
                {:else if index >= level - 1}{text}{/if}
              </th>
            {:else}<td>{text}</td>{/if}
          {/each}
        </tr>
      {/each}
    </tbody>
    <tfoot>
      <tr>
        {#each shown.foot as text, index (index)}
          {#if index < groups}<th scope="row">{text}</th>{:else}<td>{text}</td>{/if}
        {/each}
      </tr>
    </tfoot>
  </table>
  {#if data.cut}<p class="cut">There are more groups than these: take a coarser step or a filter.</p>{/if}
</div>

<style>
  .scroll {
    flex: 1;
    min-height: 0;
    overflow: auto;
  }
  table {
    width: 100%;
    font-size: 13px;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 3px 8px;
    border-bottom: 1px solid var(--line);
  }
  th {
    font-weight: 400;
    text-align: left;
  }
  tbody th {
    white-space: nowrap;
  }
  td,
  .number {
    text-align: right;
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
  }
  thead th {
    position: sticky;
    top: 0;
    color: var(--ink-soft);
    font-size: 12px;
    background: var(--raised);
    vertical-align: bottom;
  }
  thead .number {
    white-space: normal;
  }
  .outer {
    font-weight: 600;
  }
  .outer th {
    font-weight: 600;
  }
  tfoot :is(th, td) {
    position: sticky;
    bottom: 0;
    font-weight: 600;
    background: var(--raised);
    border-top: 1px solid var(--line-strong);
    border-bottom: 0;
  }
  button {
    text-align: left;
  }
  button:hover {
    color: var(--woad);
    text-decoration: underline;
  }
  .cut {
    color: var(--weld);
    font-size: 12px;
  }
</style>
