<script lang="ts">
  import type { Model } from '$core/types/model';
  import CellValue from '../values/CellValue.svelte';
  import { counted } from '../values/words';
  import type { GridColumn } from '../grid/gridGeometry';
  import type { RecordSet } from '../records/recordSet.svelte';

  /** A list of records on paper, where nothing scrolls: those that were read, as many columns as a page is wide. */
  const { model, set, columns }: { model: Model; set: RecordSet; columns: readonly GridColumn[] } = $props();
  const mostRows = 100;
  /** Of a page upright, in pixels. */
  const pageWidth = 900;
  const shown = $derived(columns.filter(({ left, width }) => left + width <= pageWidth));
  const records = $derived(
    Array.from({ length: Math.min(mostRows, set.count ?? 0) }, (_, row) => set.at(row)).filter(
      (record) => record !== undefined,
    ),
  );
  const left = $derived((set.count ?? 0) - records.length);
</script>

{#if records.length > 0}
  <table>
    <thead
      ><tr
        >{#each shown as { field } (field.id)}<th>{field.label}</th>{/each}</tr
      ></thead
    >
    <tbody>
      {#each records as record (record.id)}
        <tr
          >{#each shown as { field } (field.id)}<td><CellValue {model} {field} value={record.values[field.key]} /></td
            >{/each}</tr
        >
      {/each}
    </tbody>
  </table>
{/if}
{#if left > 0 || shown.length < columns.length}
  <p>
    {left > 0 ? `${counted(left, 'further record')} not printed. ` : ''}{shown.length < columns.length
      ? `Without ${columns
          .slice(shown.length)
          .map(({ field }) => field.label)
          .join(', ')}.`
      : ''}
  </p>
{/if}

<style>
  table {
    width: 100%;
    font-size: 12px;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 2px 6px;
    text-align: left;
    vertical-align: top;
    border-bottom: 1px solid var(--line);
  }
  tr {
    break-inside: avoid;
  }
  p {
    color: var(--ink-soft);
    font-size: 12px;
  }
</style>
