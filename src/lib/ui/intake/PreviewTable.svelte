<script lang="ts">
  import type { SheetPreview } from '$core/intake/intake';
  import { kindWord } from '$core/model/names/kindWords';
  import { counted } from '../values/words';

  /** The first rows of a sheet, as they came in. */
  const {
    preview,
    types = [],
    found = [],
  }: {
    preview: SheetPreview;
    /** What each column looks like. */ types?: readonly string[];
    /** What was found on these rows. */ found?: readonly string[];
  } = $props();

  /** A wider sheet is shown by its first columns, while one waits. */
  const mostShown = 30;
  const shown = $derived(preview.names.slice(0, mostShown));
  const others = $derived(preview.names.length - shown.length);
</script>

<section aria-label="First rows of {preview.name}">
  <h2>
    {preview.name}
    <span
      >the first {counted(preview.rows.length, 'row')}{others > 0
        ? `, ${shown.length} of ${preview.names.length} columns`
        : ''}</span
    >
  </h2>
  {#if found.length > 0}<p class="found">{found.join(' · ')}</p>{/if}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="rows" tabindex="0" role="region" aria-label="Rows of {preview.name}">
    <table>
      <thead>
        <tr
          ><th>#</th>{#each shown as name, column (column)}<th
              >{name}{#if types[column]}<small>{kindWord(types[column] as 'text') ?? types[column]}</small>{/if}</th
            >{/each}</tr
        >
      </thead>
      <tbody>
        {#each preview.rows as row, at (at)}
          <tr
            ><td class="number">{at + 1}</td>{#each shown as _, column (column)}<td>{row[column] ?? ''}</td>{/each}</tr
          >
        {/each}
      </tbody>
    </table>
  </div>
</section>

<style>
  .found {
    margin-bottom: 6px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  small {
    display: block;
    color: var(--ink-faint);
    font-weight: 400;
  }
  section {
    margin-top: 16px;
  }
  h2 {
    font-size: 15px;
  }
  h2 span {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 400;
  }
  .rows {
    max-height: 320px;
    overflow: auto;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  table {
    font-size: 12px;
  }
  th,
  td {
    max-width: 240px;
    padding: 3px 10px;
    overflow: hidden;
    text-align: left;
    text-overflow: ellipsis;
    white-space: nowrap;
    border-bottom: 1px solid var(--line);
  }
  th {
    position: sticky;
    top: 0;
    font-weight: 600;
    background: var(--ground);
  }
  .number {
    color: var(--ink-faint);
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
</style>
