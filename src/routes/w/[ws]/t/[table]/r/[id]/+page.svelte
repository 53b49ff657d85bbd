<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { Field } from '$core/model/model';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import ClashQuestion from '$ui/records/ClashQuestion.svelte';
  import ReachQuestion from '$ui/records/ReachQuestion.svelte';
  import RecordPlace from '$ui/records/RecordPlace.svelte';
  import { RecordSet } from '$ui/records/recordSet.svelte';
  import { RecordWork } from '$ui/records/recordWork.svelte';
  import RemovalPanel from '$ui/records/RemovalPanel.svelte';
  import { ShownView } from '$ui/records/shownView.svelte';
  import TracePanel from '$ui/records/TracePanel.svelte';
  import TableHead from '$ui/TableHead.svelte';

  /** One record on a page of its own, in the order of the view one came from. */
  const { data } = $props();
  const { live, notices, unsent, workspace: here } = useFrame();
  const workspace = $derived(data.workspace.key);
  const table = $derived(data.table);
  const mayEdit = $derived(data.workspace.role !== 'reader');
  const id = $derived(Number(page.params.id));
  const shown = new ShownView(() => ({ workspace: data.workspace.key, model: data.model, table: data.table, views: data.views, url: page.url }));
  const fields = $derived<readonly Field[]>(table.fields);
  const titleKey = $derived(fields.find((field) => field.id === table.title)?.key ?? '');
  const [filter, order, tableKey] = $derived([shown.written.filter, shown.order, table.key]);
  const set = $derived(new RecordSet(workspace, tableKey, { fields: titleKey, filter, sort: order, marks: [] }, ''));
  const work = new RecordWork(() => ({ workspace: data.workspace.key, table: data.table, set, zone: here.zone }), notices, unsent);
  let panel = $state<{ kind: 'removal' } | { kind: 'trace'; field: string } | null>(null);
  const traced = $derived(panel?.kind === 'trace' ? fields.find((field) => panel?.kind === 'trace' && field.id === panel.field) : undefined);
  const title = $derived(set.whole ? work.titleOf(set.whole) : `#${id}`);
  const list = $derived(`/w/${workspace}/t/${table.key}${page.url.search}`);

  $effect(() => void set.open());
  $effect(() => {
    if (live.count > 0 && untrack(() => live.concerns(table.id))) untrack(() => set.hear(live.batch));
  });

  function key(event: KeyboardEvent) {
    if ((event.target as Element).closest('input, textarea, select, dialog, [role=menu], [role=grid]')) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') void work.step(event.shiftKey ? 'redo' : 'undo');
    else if (event.key === 'Escape' && panel) panel = null;
    else if (event.key === 'Escape') void goto(list);
    else if (event.key === 'Delete' && event.shiftKey && mayEdit) panel = { kind: 'removal' };
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>{title} · {table.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={key} />

<div class="stage" style:--selvedge="var(--dye-{table.dye})">
  <TableHead {workspace} {table} side="records"><Button kind="quiet" href={list}>Back to {shown.held.view.label}</Button></TableHead>
  {#if work.clash}<ClashQuestion {work} />{/if}
  {#if work.reach}
    <ReachQuestion
      what={work.reach.what}
      reach={work.reach.tables}
      work={work.watched.current}
      busy={work.going}
      ongo={() => void work.go()}
      onleave={() => (work.reach = null)}
      onstop={() => void work.watched.stop()}
    />
  {/if}
  <RecordPlace
    {workspace}
    model={data.model}
    {table}
    {set}
    {work}
    {id}
    {mayEdit}
    ongo={(one) => void goto(`/w/${workspace}/t/${table.key}/r/${one.id}${page.url.search}`)}
    onremove={() => (panel = { kind: 'removal' })}
    ontrace={(_, field) => (panel = { kind: 'trace', field: field.id })}
  />
</div>

{#if panel?.kind === 'removal'}
  <Inspector kind="Delete" {title} dye={table.dye} onclose={() => (panel = null)}>
    <RemovalPanel
      {workspace}
      table={table.key}
      ids={[id]}
      {title}
      onremove={() => {
        panel = null;
        void work.remove([id]).then(() => goto(list));
      }}
      oncancel={() => (panel = null)}
    />
  </Inspector>
{:else if panel?.kind === 'trace' && traced}
  <Inspector kind="How it came about" title="{traced.label} of {title}" dye={table.dye} onclose={() => (panel = null)}>
    <TracePanel {workspace} model={data.model} table={table.key} field={traced} record={id} onfield={(field) => (panel = { kind: 'trace', field: field.id })} />
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
</style>
