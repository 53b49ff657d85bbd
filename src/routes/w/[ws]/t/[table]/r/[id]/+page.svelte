<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { Field } from '$core/types/field';
  import { tablesRead } from '$core/query/tablesRead';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import WorkQuestions from '$ui/records/WorkQuestions.svelte';
  import LinkedRecord from '$ui/record/LinkedRecord.svelte';
  import RecordInspector, { type RecordPanelShown } from '$ui/record/RecordInspector.svelte';
  import RecordPlace from '$ui/record/RecordPlace.svelte';
  import { RecordSet } from '$ui/records/recordSet.svelte';
  import { RecordWork } from '$ui/records/recordWork.svelte';
  import { ShownView } from '$ui/view/shownView.svelte';
  import TableStage from '$ui/TableStage.svelte';

  /** One record on a page of its own, in the order of the view one came from. */
  const { data } = $props();
  const { live, notices, unsent, workspace: here } = useFrame();
  const workspace = $derived(data.workspace.key);
  const table = $derived(data.table);
  const mayEdit = $derived(data.workspace.may.tables[table.id]?.change ?? false);
  const id = $derived(Number(page.params.id));
  const shown = new ShownView(() => ({
    workspace: data.workspace.key,
    model: data.model,
    table: data.table,
    views: data.views,
    url: page.url,
  }));
  const fields = $derived<readonly Field[]>(table.fields);
  const titleKey = $derived(fields.find((field) => field.id === table.title)?.key ?? '');
  const [filter, order, tableKey] = $derived([shown.written.filter, shown.order, table.key]);
  const set = $derived(new RecordSet(workspace, tableKey, { fields: titleKey, filter, sort: order, marks: [] }, ''));
  const work = new RecordWork(
    () => ({ workspace: data.workspace.key, table: data.table, set, zone: here.zone }),
    notices,
    unsent,
  );
  let panel = $state<RecordPanelShown>(null);
  const title = $derived(set.whole ? work.titleOf(set.whole) : `#${id}`);
  const addressOf = (other: number) => `/w/${workspace}/t/${table.key}/r/${other}${page.url.search}`;
  const list = $derived(`/w/${workspace}/t/${table.key}${page.url.search}`);

  $effect(() => live.at({ table: table.key, record: id, field: null }));
  $effect(() => void set.open());
  $effect(() => {
    if (live.count > 0 && untrack(() => live.concerns(tablesRead(data.model, table, fields, shown.view))))
      untrack(() => set.hear(live.batch));
  });

  function key(event: KeyboardEvent) {
    if ((event.target as Element).closest('input, textarea, select, dialog, [role=menu], [role=grid]')) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z')
      void work.step(event.shiftKey ? 'redo' : 'undo');
    else if (event.key === 'Escape' && panel) panel = null;
    else if (event.key === 'Escape') void goto(list);
    else if (event.key === 'Delete' && event.shiftKey && mayEdit) panel = { kind: 'removal', ids: [id] };
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>{title} · {table.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={key} />

<TableStage {table} side="records">
  {#snippet head()}<Button kind="quiet" href={list}>Back to {shown.held.view.label}</Button>{/snippet}
  <WorkQuestions {work} />
  <RecordPlace
    {workspace}
    model={data.model}
    {table}
    {set}
    {work}
    {id}
    {mayEdit}
    ongo={(one) => void goto(addressOf(one.id))}
    onremove={() => (panel = { kind: 'removal', ids: [id] })}
    ontrace={(_, field) => (panel = { kind: 'trace', field: field.id, id })}
  />
</TableStage>

<RecordInspector
  Linked={LinkedRecord}
  {workspace}
  model={data.model}
  {table}
  {set}
  {work}
  {mayEdit}
  {panel}
  pageOf={addressOf}
  onpanel={(next) => (panel = next)}
  onclose={() => (panel = null)}
  onremoved={() => void goto(list)}
/>
