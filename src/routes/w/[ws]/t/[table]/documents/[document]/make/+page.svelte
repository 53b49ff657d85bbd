<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { partsOf } from '$core/types/part';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { Making } from '$ui/documents/making.svelte';
  import { useFrame } from '$ui/frame/context';
  import TableStage from '$ui/TableStage.svelte';
  import { counted } from '$ui/values/words';
  import FilterLine from '$ui/view/FilterLine.svelte';

  /** Where a document is made: for the records one came with, or for those of a filter. */
  const { data } = $props();
  const { notices } = useFrame();
  const { table, model } = $derived(data);
  const workspace = $derived(data.workspace.key);
  const document = $derived(partsOf(table, 'document').find(({ id }) => id === page.params.document));
  const root = $derived(`/w/${workspace}/t/${table.key}/documents`);
  const records = $derived(page.url.searchParams.get('records') ?? '');
  const filter = $derived(page.url.searchParams.get('filter') ?? '');
  const sort = $derived(page.url.searchParams.get('sort') ?? '');
  const mayMany = $derived(data.workspace.may.takeOut);
  let count = $state<number | null>(null);
  let format = $state<'pdf' | 'docx' | 'html'>('pdf');
  let each = $state(false);
  let skip = $state(0);
  const making = new Making();
  const formats = [
    ['pdf', 'PDF', 'to print, or to send'],
    ['docx', 'Text document (DOCX)', 'to change in a word processor'],
    ['html', 'Web page (HTML)', 'to look at in a browser'],
  ] as const;

  // How many they are is asked anew with each other filter.
  $effect(() => {
    const [ids, condition] = [records, filter];
    if (ids !== '') {
      count = ids.split(',').length;
      return;
    }
    count = null;
    const path = workspacePath(workspace, `/tables/${table.key}/records`);
    void call<{ count: number }>(
      'GET',
      `${path}?limit=1&count=exact&fields=&filter=${encodeURIComponent(condition)}`,
    ).then((answer) => {
      if (condition !== filter) return;
      if (answer.ok) count = answer.value.count;
      else notices.refused(answer.problem);
    });
  });

  async function make() {
    if (!document) return;
    const path = workspacePath(workspace, `/tables/${table.key}/documents/${document.id}/made`);
    const problem = await making.begin(path, {
      ...(records ? { records: records.split(',').map(Number) } : { filter, sort }),
      ...(document.labels ? { skip: Number(skip) || 0 } : { as: format, each: each && count !== 1 }),
    });
    if (problem) notices.refused(problem);
  }
</script>

<svelte:head><title>{document?.label ?? 'Document'} · {table.label} · Inner Loom</title></svelte:head>

<TableStage {table} side="documents">
  <div class="make">
    {#if !document}
      <p>There is no such document here. <a href={root}>All documents of {table.label}</a></p>
    {:else}
      <h2>Make “{document.label}”</h2>
      {#if document.description}<p class="about">{document.description}</p>{/if}
      {#if records}
        <p>
          For the {counted(records.split(',').length, 'record', 'records')} that you chose.
          <a href="{root}/{document.id}/make">Choose by a filter instead</a>
        </p>
      {:else}
        <div class="filter">
          <FilterLine
            {model}
            {table}
            {filter}
            onfilter={(text) =>
              void goto(`?${new URLSearchParams({ ...(text ? { filter: text } : {}), ...(sort ? { sort } : {}) })}`, {
                replaceState: true,
                keepFocus: true,
              })}
          />
        </div>
        <p>
          {count === null
            ? 'Counting …'
            : filter
              ? `For ${counted(count, 'record', 'records')} that ${count === 1 ? 'meets' : 'meet'} the filter.`
              : `For all ${counted(count, 'record', 'records')} of ${table.label}.`}
        </p>
      {/if}
      {#if document.labels}
        <label class="number"
          >Labels already used on the first sheet
          <input
            type="number"
            min="0"
            max={document.labels.columns * document.labels.rows - 1}
            bind:value={skip}
          /></label
        >
        {#if count !== null}<p>
            {counted(Math.ceil((count + skip) / (document.labels.columns * document.labels.rows)), 'sheet', 'sheets')} of
            {document.labels.columns * document.labels.rows} labels
          </p>{/if}
      {:else}
        <fieldset>
          <legend>As</legend>
          {#each formats as [value, name, about] (value)}
            <label><input type="radio" name="format" {value} bind:group={format} /> {name} <small>{about}</small></label
            >
          {/each}
        </fieldset>
        {#if count !== 1}
          <fieldset>
            <legend>In</legend>
            <label
              ><input type="radio" name="each" checked={!each} onchange={() => (each = false)} /> one file
              <small>each record begins on a page of its own</small></label
            >
            <label
              ><input type="radio" name="each" checked={each} onchange={() => (each = true)} /> one file each
              <small>together in an archive (ZIP)</small></label
            >
          </fieldset>
        {/if}
      {/if}
      {#if count !== 1 && !mayMany}
        <p class="problem" role="status">
          You may make documents for one record at a time; for several you need the right to take data out.
        </p>
      {/if}
      <div class="buttons">
        <Button
          kind="main"
          disabled={making.isOn || count === null || count === 0 || (count !== 1 && !mayMany)}
          onclick={() => void make()}>{making.isOn ? 'Making …' : 'Make and save'}</Button
        >
        {#if making.isOn}<Button onclick={() => making.cancel()}>Cancel</Button>{/if}
        <Button href={root}>Back to the documents</Button>
      </div>
      {#if making.isOn || making.isDone}
        <p role="status">
          {#if making.isOn}
            <progress value={making.made} max={making.count || 1} aria-label="Documents made"></progress>
          {/if}
          {making.made.toLocaleString()} of {counted(making.count, 'document', 'documents')} made, {(
            making.bytes / 1_000_000
          ).toFixed(1)} MB{making.isDone ? '; the file is saved.' : ''}
        </p>
        {#each making.notes as note (note)}<p class="note" role="status">{note}</p>{/each}
      {/if}
    {/if}
  </div>
</TableStage>

<style>
  .make {
    display: flex;
    flex: 1;
    flex-direction: column;
    gap: 10px;
    align-items: start;
    padding: 16px 20px;
    overflow: auto;
    background: var(--raised);
    border-top: 1px solid var(--line);
  }
  .filter {
    align-self: stretch;
  }
  h2 {
    font-size: 18px;
  }
  p a {
    text-decoration: underline;
  }
  .about,
  small {
    color: var(--ink-soft);
  }
  fieldset {
    display: flex;
    flex-direction: column;
    gap: 3px;
    padding: 0;
    border: 0;
  }
  legend {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .number {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .number input {
    width: 70px;
  }
  .buttons {
    display: flex;
    gap: 8px;
  }
  .problem,
  .note {
    padding: 4px 8px;
    color: var(--weld);
    background: var(--weld-tint);
  }
</style>
