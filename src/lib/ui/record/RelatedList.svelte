<script lang="ts">
  import { flushSync, untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { shownColumns, viewOfAll } from '$core/views/view';
  import { tablesRead } from '$core/query/tablesRead';
  import { useFrame } from '../frame/context';
  import { counted } from '../values/words';
  import FilterLine from '../view/FilterLine.svelte';
  import { gridColumns, rowHeights } from '../grid/gridGeometry';
  import { provideGroups } from '../grid/groupContext';
  import PrintedList from './PrintedList.svelte';
  import { recordAddress } from './linked';
  import RecordGrid from '../grid/RecordGrid.svelte';
  import { RecordSet, type ShownRecord } from '../records/recordSet.svelte';
  import { SteadySet } from '../records/steadySet.svelte';
  import WorkQuestions from '../records/WorkQuestions.svelte';
  import { RecordWork } from '../records/recordWork.svelte';

  /**
   * The records that point at one record, in place: with a filter of their own, edited there, and new ones linked with
   * it from the start.
   */
  const {
    workspace,
    model,
    label,
    link,
    from,
    record,
    mayEdit,
    begin = '',
    onfilter,
  }: {
    workspace: string;
    model: Model;
    label: string;
    /** The link of the other table that points here. */
    link: Field;
    from: Table;
    record: ShownRecord;
    mayEdit: boolean;
    /** The condition it begins with. */
    begin?: string;
    /** Told of another condition, for whoever keeps it. */
    onfilter?: (filter: string) => void;
  } = $props();
  const { live, notices, unsent, workspace: here } = useFrame();
  /** Rows that are drawn before the list scrolls by itself. */
  const most = 8;
  // svelte-ignore state_referenced_locally
  let filter = $state(begin);
  let sort = $state('');
  // svelte-ignore state_referenced_locally
  let filtering = $state(begin !== '' && onfilter !== undefined);
  provideGroups({ parts: [] });

  const home = $derived(from.home ?? workspace);
  const columns = $derived(
    gridColumns(
      model,
      from,
      shownColumns(from, viewOfAll()).filter(({ field }) => field.id !== link.id),
      { frozen: 1 },
    ),
  );
  const read = $derived(
    tablesRead(
      model,
      from,
      columns.map(({ field }) => field),
    ),
  );
  const keys = $derived(columns.map(({ field }) => field.key).join(','));
  const records = new SteadySet(
    () => new RecordSet(home, from.key, { fields: keys, filter, sort, marks: [], of: `${link.key}:${record.id}` }, ''),
  );
  const set = $derived(records.current);
  const work = new RecordWork(
    () => ({ workspace: from.home ?? workspace, table: from, set, zone: here.zone }),
    notices,
    unsent,
  );
  const preset = $derived({ [link.key]: { id: record.id, title: `#${record.id}` } });
  const rows = $derived(Math.min(most, set.rows + (mayEdit ? 1 : 0)) + 1);

  /** What goes to paper is drawn in the moment before. */
  let printing = $state(false);
  $effect(() => {
    if (live.count > 0 && untrack(() => live.concerns(read))) untrack(() => records.hear(live.batch));
  });
</script>

<svelte:window onbeforeprint={() => flushSync(() => (printing = true))} onafterprint={() => (printing = false)} />
<section aria-label={label} style:--selvedge="var(--dye-{from.dye})">
  <header>
    <h2>{label}</h2>
    <span class="count"
      >{set.count === null ? '…' : counted(set.count, 'record')}{filter ? ' meet the filter' : ''}</span
    >
    <button aria-expanded={filtering} onclick={() => (filtering = !filtering)}>{filter ? 'filtered' : 'filter'}</button>
    <a href="/w/{home}/t/{from.key}">{from.label}</a>
  </header>
  {#if filtering}<FilterLine
      {model}
      table={from}
      {filter}
      onfilter={(text) => ((filter = text), onfilter?.(text))}
    />{/if}
  {#if set.problem}<p class="refused">{set.problem}</p>
  {:else if set.opened && set.rows === 0 && !mayEdit}<p class="none">
      {filter ? 'None meets the filter.' : 'None yet.'}
    </p>
  {:else}
    {#if printing}<PrintedList {model} {set} {columns} />{/if}
    <WorkQuestions {work} />
    <div class="holder" style:height="{rows * rowHeights[1] + 14}px">
      <RecordGrid
        {workspace}
        {model}
        table={from}
        {set}
        {work}
        {columns}
        {sort}
        {mayEdit}
        {preset}
        onselect={(one, open) => open && void goto(recordAddress(workspace, from, one.id))}
        onsort={(key) => (sort = sort === key ? `-${key}` : sort === `-${key}` ? '' : key)}
        oncolumn={() => undefined}
        onmenu={() => undefined}
        onremove={(records) => void work.remove(records.map(({ id }) => id))}
        ontrace={(one) => void goto(recordAddress(workspace, from, one.id))}
        onlinked={(_, other, { id }) => void goto(recordAddress(workspace, other, id))}
      />
    </div>
  {/if}
</section>

<style>
  section {
    margin-top: 18px;
    border-left: 4px solid var(--selvedge);
  }
  header {
    display: flex;
    gap: 12px;
    align-items: baseline;
    padding: 0 0 4px 10px;
  }
  h2 {
    font-size: 15px;
  }
  .count {
    flex: 1;
    color: var(--ink-soft);
    font-size: 13px;
  }
  button,
  a {
    color: var(--woad);
    font-size: 13px;
    text-decoration: underline;
  }
  .holder {
    display: flex;
    border: 1px solid var(--line);
    border-left: 0;
  }
  @media print {
    header button,
    header a,
    .holder {
      display: none;
    }
  }
  .none,
  .refused {
    padding: 4px 10px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .refused {
    color: var(--madder);
  }
</style>
