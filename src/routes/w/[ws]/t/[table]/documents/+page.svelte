<script lang="ts">
  import { partsOf } from '$core/types/part';
  import Button from '$ui/controls/Button.svelte';
  import TableStage from '$ui/TableStage.svelte';

  /** The documents of a table: made for records, as PDF or text document. */
  const { data } = $props();
  const table = $derived(data.table);
  const root = $derived(`/w/${data.workspace.key}/t/${table.key}/documents`);
  const designs = $derived(data.workspace.may.tables[data.table.id]?.design ?? false);
  const documents = $derived(partsOf(table, 'document'));
</script>

<svelte:head><title>Documents of {table.label} · {data.workspace.label} · Inner Loom</title></svelte:head>

<TableStage {table} side="documents">
  {#snippet head()}
    {#if designs}<Button kind="main" href="{root}/new">New document</Button>{/if}
  {/snippet}
  <div class="documents">
    {#if documents.length === 0}
      <p class="none">
        No document yet. A document is a page with the values of a record in it: a delivery note, a letter, a label. It
        is designed once and made for any of the records, as a PDF to print or as a text document to change.
      </p>
    {:else}
      <table>
        <thead><tr><th>document</th><th>what it is for</th><th>paper</th><th></th></tr></thead>
        <tbody>
          {#each documents as one (one.id)}
            <tr>
              <td><a href="{root}/{one.id}/make">{one.label}</a></td>
              <td>{one.description}</td>
              <td
                >{one.paper.size}{one.paper.landscape ? ', landscape' : ''}{one.labels
                  ? `, ${one.labels.columns * one.labels.rows} labels`
                  : ''}</td
              >
              <td class="steps">
                <Button href="{root}/{one.id}/make" label="Make {one.label}">Make …</Button>
                {#if designs}
                  <Button href="{root}/{one.id}" label="Design {one.label}">Design</Button>
                  <Button href="{root}/new?from={one.id}" label="Copy {one.label}">Copy</Button>
                {/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
  </div>
</TableStage>

<style>
  .documents {
    flex: 1;
    padding: 10px 14px;
    overflow: auto;
    background: var(--raised);
    border-top: 1px solid var(--line);
  }
  .none {
    max-width: 560px;
    padding: 20px 0;
    color: var(--ink-soft);
  }
  table {
    width: 100%;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 7px 10px;
    text-align: left;
    border-bottom: 1px solid var(--line);
  }
  th {
    color: var(--ink-faint);
    font-size: 13px;
    font-weight: 500;
  }
  td a {
    font-weight: 600;
  }
  .steps {
    text-align: right;
    white-space: nowrap;
  }
  .steps :global(a) {
    margin-left: 6px;
  }
</style>
