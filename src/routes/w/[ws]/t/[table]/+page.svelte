<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { fieldOf, type Field } from '$core/model/model';
  import Button from '$ui/controls/Button.svelte';
  import { call, workspacePath } from '$ui/api';
  import Inspector from '$ui/frame/Inspector.svelte';
  import { useFrame } from '$ui/frame/context';
  import FilterLine from '$ui/records/FilterLine.svelte';
  import Grid from '$ui/records/Grid.svelte';
  import NewRecord from '$ui/records/NewRecord.svelte';
  import RecordPanel from '$ui/records/RecordPanel.svelte';
  import { RecordSet, type ShownRecord } from '$ui/records/recordSet.svelte';
  import ReachQuestion from '$ui/records/ReachQuestion.svelte';
  import RemovalPanel from '$ui/records/RemovalPanel.svelte';
  import TracePanel from '$ui/records/TracePanel.svelte';
  import { WatchedWork } from '$ui/structure/work.svelte';
  import TableHead from '$ui/TableHead.svelte';
  import { editText } from '$ui/values/show';
  import { counted } from '$ui/values/words';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const table = $derived(data.table);
  const mayEdit = $derived(data.workspace.role !== 'reader');
  const filter = $derived(page.url.searchParams.get('filter') ?? '');
  const sort = $derived(page.url.searchParams.get('sort') ?? '');
  // A changed structure is a new set: its fields are other ones.
  const shape = $derived(JSON.stringify(table.fields.map(({ id, key, type }) => [id, key, type])));
  const tableKey = $derived(table.key);
  const set = $derived(new RecordSet(workspace, tableKey, filter, sort, shape));
  let panel = $state<{ kind: 'record' | 'removal'; id: number } | { kind: 'new' } | { kind: 'linked' | 'trace'; field: string; id: number } | null>(null);
  let clash = $state<{ record: ShownRecord; values: Record<string, unknown>; fields: { field: string; theirs: unknown; yours: unknown }[] } | null>(null);
  /** An edit that waits for an answer, as very much would be calculated anew. */
  let reach = $state<{ what: string; tables: { table: string; label: string; count: number }[]; go: () => Promise<void> } | null>(null);
  let going = $state(false);
  const work = new WatchedWork(() => workspace);
  let lastBatch: number | null = null;

  $effect(() => void set.open());
  $effect(() => {
    if (live.count > 0 && untrack(() => live.concerns(table.id))) untrack(() => void set.refresh());
  });
  // The address can name a record, wherever it stands in the order.
  const named = $derived(Number(page.url.searchParams.get('record')) || null);
  $effect(() => {
    const [id, within] = [named, set];
    if (id !== null) untrack(() => void open(within, id));
  });
  const shown = $derived(panel && panel.kind !== 'new' ? set.withId(panel.id) : undefined);
  /** The link of another table for which a record is being made from here. */
  const linkedField = $derived.by(() => {
    const field = panel?.kind === 'linked' ? fieldOf(data.model, panel.field).field : undefined;
    return field?.type.kind === 'counterpart' && !field.type.over ? fieldOf(data.model, field.type.link) : undefined;
  });
  const tracedField = $derived(panel?.kind === 'trace' ? table.fields.find(({ id }) => panel?.kind === 'trace' && id === panel.field) : undefined);
  const titleKey = $derived(table.fields.find(({ id }) => id === table.title)?.key ?? '');
  const titleOf = (record: ShownRecord) => editText(record.values[titleKey]) || `#${record.id}`;

  async function open(within: RecordSet, id: number) {
    const problem = await within.read(id);
    if (problem) notices.refused(problem);
    else panel = { kind: 'record', id };
  }

  function address(changes: Record<string, string>) {
    const query = new URLSearchParams(page.url.searchParams);
    query.delete('record');
    for (const [name, value] of Object.entries(changes))
      if (value) query.set(name, value);
      else query.delete(name);
    void goto(`?${query}`, { keepFocus: true, noScroll: true });
  }

  async function undo(batch: number | null) {
    if (batch === null) return;
    const answer = await call<{ batch: number }>('POST', workspacePath(workspace, `/batches/${batch}/undo`));
    if (!answer.ok) return notices.refused(answer.problem);
    lastBatch = null;
    notices.done('Taken back.', { label: 'Do it again', run: () => void undo(answer.value.batch) });
  }

  async function go() {
    going = true;
    await work.during(reach?.go() ?? Promise.resolve());
    [going, reach] = [false, null];
  }

  async function edit(record: ShownRecord, field: Field, value: unknown, how: { overwrite?: boolean; ask?: boolean } = {}) {
    if (editText(value) === editText(record.values[field.key]) && typeof value !== 'object') return;
    const answer = await set.write(record, { [field.key]: value }, how);
    if (answer.ok) {
      const { batch } = answer.value;
      lastBatch = batch;
      notices.done(`${field.label} of ${titleOf(record)} changed.`, { label: 'Undo', run: () => void undo(batch) });
    } else if (Array.isArray(answer.problem.reach)) {
      const what = `${field.label} of ${titleOf(record)}:`;
      reach = { what, tables: answer.problem.reach as [], go: () => edit(record, field, value, { ...how, ask: false }) };
    } else if (Array.isArray(answer.problem.fields)) {
      clash = { record, values: { [field.key]: value }, fields: answer.problem.fields as [] };
      await set.refresh();
    } else notices.refused(answer.problem);
  }

  async function settle(mine: boolean) {
    const kept = clash;
    clash = null;
    const now = kept && set.withId(kept.record.id);
    const field = kept && table.fields.find(({ key }) => key in kept.values);
    if (mine && kept && now && field) await edit(now, field, kept.values[field.key], { overwrite: true });
  }

  async function remove(id: number, ask = true) {
    const answer = await call<{ batch: number }>('DELETE', workspacePath(workspace, `/tables/${table.key}/records`), { ids: [id], ask }, true);
    panel = null;
    if (!answer.ok && Array.isArray(answer.problem.reach)) {
      reach = { what: 'Deleting it:', tables: answer.problem.reach as [], go: () => remove(id, false) };
      return;
    }
    if (!answer.ok) return notices.refused(answer.problem);
    lastBatch = answer.value.batch;
    notices.done('Deleted.', { label: 'Undo', run: () => void undo(answer.value.batch) });
    await set.refresh();
  }

  function key(event: KeyboardEvent) {
    if ((event.target as Element).closest('input, textarea, dialog')) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') void undo(lastBatch);
    else if (event.key === 'Escape' && panel) panel = null;
    else if (event.altKey && event.key.toLowerCase() === 'n' && mayEdit) panel = { kind: 'new' };
    else if (event.altKey && event.key.toLowerCase() === 's') void goto(`/w/${workspace}/t/${table.key}/structure`);
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>{table.label} · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={key} />

<div class="stage" style:--selvedge="var(--dye-{table.dye})">
  <TableHead {workspace} {table} side="records">
    <Button href="/api/workspaces/{workspace}/tables/{table.key}/export?format=csv&filter={encodeURIComponent(filter)}&sort={encodeURIComponent(sort)}"
      >Export CSV</Button
    >
    {#if mayEdit}<Button kind="main" onclick={() => (panel = { kind: 'new' })} title="Alt+N">New record</Button>{/if}
  </TableHead>
  <div class="words">
    <FilterLine model={data.model} {table} {filter} onfilter={(text) => address({ filter: text })} />
    {#if sort}<span class="sort"
        >sorted by <code>{sort.replace('-', '')}</code>{sort.startsWith('-') ? ', last first' : ''}
        <button onclick={() => address({ sort: '' })}>as made</button></span
      >{/if}
  </div>
  {#if clash}
    <div class="clash" role="alert">
      <span
        >Somebody changed {titleOf(clash.record)} while you wrote.
        {#each clash.fields as { field, theirs, yours } (field)}<code>{field}</code>: theirs <b>{editText(theirs) || 'blank'}</b>, yours
          <b>{editText(yours) || 'blank'}</b>.{/each}</span
      >
      <Button kind="main" onclick={() => settle(true)}>Write mine</Button><Button onclick={() => settle(false)}>Keep theirs</Button>
    </div>
  {/if}
  {#if reach}
    <ReachQuestion
      what={reach.what}
      reach={reach.tables}
      work={work.current}
      busy={going}
      ongo={() => void go()}
      onleave={() => (reach = null)}
      onstop={() => void work.stop()}
    />
  {/if}
  {#if set.problem}
    <p class="refused" role="alert">{set.problem}</p>
  {:else if set.records.length === 0 && set.complete && set.count === 0}
    <div class="empty">
      {#if filter}<p>No record meets this filter. <button onclick={() => address({ filter: '' })}>Show all</button></p>
      {:else}<p>No records yet. {mayEdit ? 'Enter the first one with “New record” (Alt+N), or bring a file in.' : ''}</p>{/if}
    </div>
  {:else}
    <Grid
      {workspace}
      model={data.model}
      {table}
      {set}
      {sort}
      {mayEdit}
      selected={panel?.kind === 'record' ? panel.id : null}
      onselect={(record, open) => (open || panel?.kind === 'record') && (panel = { kind: 'record', id: record.id })}
      onedit={(record, field, value) => void edit(record, field, value)}
      onsort={(name) => address({ sort: sort === name ? `-${name}` : sort === `-${name}` ? '' : name })}
      onremove={(record) => (panel = { kind: 'removal', id: record.id })}
      ontrace={(record, field) => (panel = { kind: 'trace', field: field.id, id: record.id })}
    />
  {/if}
  <footer>
    <span
      >{set.count === null ? 'counting …' : counted(set.count, 'record')}{filter ? ' meet the filter' : ''}{set.records.length < (set.count ?? 0)
        ? ` · ${set.records.length.toLocaleString()} read so far`
        : ''}</span
    >
    <span class="keys"
      >{mayEdit
        ? 'Enter edits or explains · Space opens · Shift+Delete deletes · Ctrl+Z takes back · Alt+S structure'
        : 'Enter explains · Space opens · Alt+S structure'}</span
    >
  </footer>
</div>

{#if panel?.kind === 'new'}
  <Inspector kind="New record of" title={table.label} dye={table.dye} onclose={() => (panel = null)}>
    <NewRecord
      {workspace}
      model={data.model}
      {table}
      onmade={(batch) => {
        lastBatch = batch;
        notices.done('Record made.', { label: 'Undo', run: () => void undo(batch) });
        void set.refresh();
      }}
    />
  </Inspector>
{:else if panel?.kind === 'linked' && shown && linkedField}
  {@const { field: link, table: from } = linkedField}
  <Inspector kind="New record of {from.label}, for" title={titleOf(shown)} dye={from.dye} onclose={() => (panel = { kind: 'record', id: shown.id })}>
    <NewRecord
      {workspace}
      model={data.model}
      table={from}
      preset={{ [link.key]: { id: shown.id, title: titleOf(shown) } }}
      onmade={(batch) => {
        lastBatch = batch;
        notices.done(`Record of ${from.label} made.`, { label: 'Undo', run: () => void undo(batch) });
        void set.refresh();
      }}
    />
  </Inspector>
{:else if panel?.kind === 'trace' && shown && tracedField}
  {@const record = shown}
  <Inspector kind="How it came about" title="{tracedField.label} of {titleOf(record)}" dye={table.dye} onclose={() => (panel = null)}>
    <TracePanel
      {workspace}
      model={data.model}
      table={table.key}
      field={tracedField}
      record={record.id}
      onfield={(field) => (panel = { kind: 'trace', field: field.id, id: record.id })}
    />
  </Inspector>
{:else if panel && panel.kind !== 'linked' && panel.kind !== 'trace' && shown}
  <Inspector kind={panel.kind === 'removal' ? 'Delete' : `Record of ${table.label}`} title={titleOf(shown)} dye={table.dye} onclose={() => (panel = null)}>
    {#if panel.kind === 'removal'}
      <RemovalPanel {workspace} table={table.key} id={shown.id} title={titleOf(shown)} onremove={() => void remove(shown.id)} oncancel={() => (panel = null)} />
    {:else}
      <RecordPanel
        {workspace}
        model={data.model}
        {table}
        record={shown}
        {mayEdit}
        onedit={(field, value) => void edit(shown, field, value)}
        onremove={() => (panel = { kind: 'removal', id: shown.id })}
        onadd={(field) => (panel = { kind: 'linked', field: field.id, id: shown.id })}
        ontrace={(field) => (panel = { kind: 'trace', field: field.id, id: shown.id })}
      />
    {/if}
  </Inspector>
{/if}

<style>
  .stage {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-width: 0;
    border-left: 5px solid var(--selvedge);
  }
  .words {
    display: flex;
    flex-wrap: wrap;
    gap: 0 14px;
    align-items: center;
    padding: 0 14px 8px;
    border-bottom: 1px solid var(--line);
  }
  .sort {
    color: var(--ink-soft);
    font-size: 12px;
    white-space: nowrap;
  }
  .sort button,
  .empty button {
    color: var(--woad);
    text-decoration: underline;
  }
  .clash {
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 8px 14px;
    background: var(--weld-tint);
    border-bottom: 1px solid var(--weld);
  }
  .clash span {
    flex: 1;
  }
  .refused {
    padding: 14px;
    color: var(--madder);
  }
  .empty {
    flex: 1;
    padding: 40px 20px;
    color: var(--ink-soft);
    background: var(--raised);
  }
  footer {
    display: flex;
    gap: 20px;
    justify-content: space-between;
    padding: 5px 14px;
    color: var(--ink-soft);
    font-size: 12px;
    white-space: nowrap;
    background: var(--ground);
    border-top: 1px solid var(--line-strong);
  }
  .keys {
    overflow: hidden;
    color: var(--ink-faint);
    text-overflow: ellipsis;
  }
  @media (max-width: 700px) {
    .keys {
      display: none;
    }
  }
</style>
