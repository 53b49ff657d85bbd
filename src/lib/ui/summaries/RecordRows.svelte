<script lang="ts">
  import type { RecordRows } from '$server/summaries/data';
  import type { FieldType } from '$core/types/field';
  import { uiOf } from '../fieldTypes/registry';
  import type { Reading } from '$core/summaries/chart/series';

  /** Records as rows of a small table; the first column leads to each. */
  const {
    data,
    reading,
    title,
  }: {
    data: RecordRows;
    reading: Reading;
    title: string;
  } = $props();
  const isRight = (type: FieldType) => uiOf(type).alignsRight === true;
  const left = $derived(data.count - data.records.length);
</script>

<div class="scroll">
  <table>
    <caption class="sr-only">{title}</caption>
    <thead
      ><tr
        >{#each data.columns as { key, label, type } (key)}<th scope="col" class:number={isRight(type)}>{label}</th
          >{/each}</tr
      ></thead
    >
    <tbody>
      {#each data.records as { id, values } (id)}
        <tr>
          {#each data.columns as { key, type }, index (key)}
            {@const value = values[key]}
            {@const text = value === null || value === undefined ? '' : reading.value(value, type)}
            <td class:number={isRight(type)}
              >{#if index === 0}<a href="/w/{data.home}/t/{data.table}/r/{id}">{text || `#${id}`}</a
                >{:else}{text}{/if}</td
            >
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
  {#if data.records.length === 0}<p class="soft">No records.</p>{/if}
  {#if left > 0}
    <p class="soft">
      {data.records.length} of {data.count.toLocaleString()} records.
    </p>
  {/if}
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
    max-width: 260px;
    padding: 3px 8px;
    overflow: hidden;
    text-align: left;
    text-overflow: ellipsis;
    white-space: nowrap;
    border-bottom: 1px solid var(--line);
  }
  th {
    position: sticky;
    top: 0;
    color: var(--ink-soft);
    font-size: 12px;
    font-weight: 400;
    background: var(--raised);
  }
  .number {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  a {
    color: var(--woad);
  }
  .soft {
    padding: 4px 8px;
    color: var(--ink-soft);
    font-size: 12px;
  }
</style>
