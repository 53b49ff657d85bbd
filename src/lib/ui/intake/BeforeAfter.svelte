<script lang="ts">
  /** Texts beside what a formula makes of them; those that stay as they are stand back. */
  const { pairs }: { pairs: readonly { readonly before: string; readonly after: string }[] } = $props();
</script>

<table>
  <thead><tr><th>before</th><th>after</th></tr></thead>
  <tbody
    >{#each pairs as { before, after }, index (index)}<tr class:same={before === after}
        ><td>{before}</td><td>{after === '' ? 'blank' : after}</td></tr
      >{/each}</tbody
  >
</table>

<style>
  table {
    width: 100%;
    margin-top: 8px;
    table-layout: fixed;
    font-size: 12px;
  }
  th {
    color: var(--ink-faint);
    font-weight: 500;
    text-align: left;
  }
  td {
    padding: 2px 6px 2px 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    border-top: 1px solid var(--line);
  }
  .same {
    color: var(--ink-faint);
  }
</style>
