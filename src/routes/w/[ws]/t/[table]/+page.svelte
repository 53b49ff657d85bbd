<script lang="ts">
  import { tick, untrack, type Snippet } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { fieldNamed } from '$core/model/model';
  import type { Table } from '$core/types/model';
  import { partsOf } from '$core/types/part';
  import type { Field } from '$core/types/field';
  import type { ViewKind } from '$core/types/view';
  import { viewKindDescriptors } from '$core/views/kinds';
  import { tablesRead } from '$core/query/tablesRead';
  import Button from '$ui/controls/Button.svelte';
  import Menu from '$ui/controls/Menu.svelte';
  import MenuList from '$ui/controls/MenuList.svelte';
  import { useFrame } from '$ui/frame/context';
  import { changedColumns, type ColumnChange } from '$ui/grid/columnChange';
  import { columnMenu, sortedBy } from '$ui/grid/columnMenu';
  import { waysFromRecords } from '$ui/transfer/ways';
  import { gridColumns } from '$ui/grid/gridGeometry';
  import { provideGroups } from '$ui/grid/groupContext';
  import Board from '$ui/board/Board.svelte';
  import CalendarAddress from '$ui/calendar/CalendarAddress.svelte';
  import CalendarView from '$ui/calendar/CalendarView.svelte';
  import Cards from '$ui/cards/Cards.svelte';
  import LinkedRecord from '$ui/record/LinkedRecord.svelte';
  import RecordInspector, { type RecordPanelShown } from '$ui/record/RecordInspector.svelte';
  import { recordAddress, type RecordName } from '$ui/record/linked';
  import RecordGrid from '$ui/grid/RecordGrid.svelte';
  import RecordList from '$ui/cards/RecordList.svelte';
  import RecordPlace from '$ui/record/RecordPlace.svelte';
  import { SteadySet } from '$ui/records/steadySet.svelte';
  import { RecordSet, type ShownRecord } from '$ui/records/recordSet.svelte';
  import { RecordWork } from '$ui/records/recordWork.svelte';
  import WorkQuestions from '$ui/records/WorkQuestions.svelte';
  import { ShownView } from '$ui/view/shownView.svelte';
  import { askedTotals, groupParts, totalText, ViewTotals } from '$ui/view/totals.svelte';
  import TableSearch from '$ui/view/TableSearch.svelte';
  import ViewLine from '$ui/view/ViewLine.svelte';
  import { orderParts } from '$ui/view/viewWords';
  import RunMenu from '$ui/routines/RunMenu.svelte';
  import TableStage from '$ui/TableStage.svelte';
  import { counted } from '$ui/values/words';

  const { data } = $props();
  const { live, notices, unsent, workspace: here } = useFrame();
  const workspace = $derived(data.workspace.key);
  const table = $derived(data.table);
  const may = $derived(data.workspace.may.tables[table.id]);
  const mayEdit = $derived(may?.change ?? false);
  const mayEnter = $derived(may?.enter ?? false);
  const shown = new ShownView(() => ({
    workspace: data.workspace.key,
    model: data.model,
    table: data.table,
    views: data.views,
    url: page.url,
  }));
  const columns = $derived(gridColumns(data.model, table, shown.columns, shown.view));
  // A changed structure is a new set: its fields are other ones. What is asked for is compared as text, so that a wider
  // column asks for nothing.
  const shape = $derived(JSON.stringify(table.fields.map(({ id, key, type }) => [id, key, type])));
  const keys = $derived(
    table.fields
      .filter(
        (field) =>
          field.id === table.title ||
          field.key === shown.written.picture ||
          columns.some((column) => column.field.id === field.id),
      )
      .map(({ key }) => key)
      .join(','),
  );
  const marks = $derived(JSON.stringify(shown.written.colours.map(({ when }) => when)));
  const filter = $derived(shown.written.filter);
  const order = $derived(shown.order);
  const tableKey = $derived(table.key);
  const records = new SteadySet(
    () =>
      new RecordSet(
        workspace,
        tableKey,
        { fields: keys, filter, sort: order, marks: JSON.parse(marks) as string[] },
        shape,
      ),
  );
  const set = $derived(records.current);
  const kind = $derived(shown.view.kind);
  const by = $derived(shown.written.by === null ? undefined : fieldNamed(table, shown.written.by));
  const until = $derived(shown.written.until === null ? undefined : fieldNamed(table, shown.written.until));
  const groupedBy = $derived(viewKindDescriptors[kind].groupedBy);
  const group = $derived(groupedBy === 'groups' ? shown.written.groups : groupedBy === 'by' ? (by?.key ?? '') : '');
  const asked = $derived(askedTotals(shown.columns));
  const totalsText = $derived(asked.map(totalText).join(','));
  const totals = $derived(new ViewTotals(workspace, tableKey, { filter, group, totals: totalsText }));
  const read = $derived(
    tablesRead(
      data.model,
      table,
      columns.map(({ field }) => field),
      shown.view,
    ),
  );
  const work = new RecordWork(
    () => ({ workspace: data.workspace.key, table: data.table, set, zone: here.zone }),
    notices,
    unsent,
  );

  let panel = $state<RecordPanelShown>(null);
  /** The records that were selected when the menu was opened. */
  let picked = $state.raw<readonly number[]>([]);
  const transfers = $derived(
    waysFromRecords(
      workspace,
      table,
      { filter, records: picked },
      {
        change: data.workspace.may.tables[table.id]?.change ?? false,
        delete: data.workspace.may.tables[table.id]?.delete ?? false,
        design: data.workspace.may.tables[table.id]?.design ?? false,
      },
    ),
  );
  const documents = $derived(
    partsOf(table, 'document')
      .flatMap(({ id, label }) => {
        const to = (asked: Record<string, string>) =>
          `/w/${workspace}/t/${table.key}/documents/${id}/make?${new URLSearchParams(asked).toString()}`;
        // More numbers than an address holds are made by the filter.
        const some = picked.length > 0 && picked.length <= 1000;
        const selected = counted(picked.length, 'selected record', 'selected records');
        return [
          ...(some ? [{ label, section: `for the ${selected}`, href: to({ records: picked.join() }) }] : []),
          { label, section: 'for all that are shown', href: to({ filter, sort: order }) },
        ];
      })
      .sort((one, other) => one.section.localeCompare(other.section) * -1),
  );
  let gridShown = $state<ReturnType<typeof RecordGrid> | null>(null);
  let menu = $state<{ column: number; x: number; y: number; opener: HTMLElement } | null>(null);
  /** Grows whenever somebody changes records of the table: for what reads more than the set. */
  let heard = $state(0);
  /** The record beside the list. */
  let besideList = $state<number | null>(null);

  const groups = $derived(
    groupedBy === 'groups' && group && totals.answer && !totals.answer.cut ? totals.answer.groups : null,
  );
  provideGroups({
    get parts() {
      return groupParts(data.model, data.table, group);
    },
  });

  $effect(() => void totals.read());
  $effect(() => {
    if (live.count > 0 && untrack(() => live.concerns(read)))
      untrack(() => {
        records.hear(live.batch);
        void totals.read();
        heard++;
      });
  });
  // The address can name a record, wherever it stands in the order.
  const named = $derived(Number(page.url.searchParams.get('record')) || null);
  $effect(() => {
    const [id, within] = [named, set];
    if (id !== null) untrack(() => void open(within, id));
  });
  async function open(within: RecordSet, id: number) {
    const problem = await within.read(id);
    if (problem) notices.refused(problem);
    else panel = { kind: 'record', id };
  }

  function close() {
    [panel, work.pasting] = [null, null];
    void tick().then(() => gridShown?.focusCell());
  }

  function closeMenu(back: boolean) {
    const opener = menu?.opener;
    menu = null;
    if (back) opener?.focus();
  }

  const changeColumn = (change: ColumnChange) =>
    shown.set({ columns: changedColumns(table, shown.view, shown.written.columns, change) }, change.do === 'width');

  function sortBy(key: string) {
    const [first] = orderParts(shown.written.sort);
    shown.set({
      sort: first?.key !== key ? sortedBy('', key, false) : first.descending ? '' : sortedBy('', key, true),
    });
  }

  /** The list beside a record shows the first one until another is chosen. */
  $effect(() => {
    const first = kind === 'beside' && besideList === null ? set.at(0) : undefined;
    if (first) besideList = first.id;
  });

  async function place(one: ShownRecord, field: Field, value: unknown) {
    await work.edit(one, field, value);
    heard++;
  }

  const select = (one: ShownRecord) => void open(set, one.id);
  const trace = (one: ShownRecord, field: Field) =>
    void set.read(one.id).then(() => (panel = { kind: 'trace', field: field.id, id: one.id }));
  /** Another table's record is shown beside; one of another workspace is there only. */
  const linked = (one: ShownRecord, other: Table, named: RecordName) => {
    if (other.home !== undefined) void goto(recordAddress(workspace, other, named.id));
    else panel = { kind: 'other', table: other.id, record: named, from: { kind: 'record', id: one.id } };
  };
  const pageOf = (id: number) => `/w/${workspace}/t/${table.key}/r/${id}${page.url.search}`;

  function key(event: KeyboardEvent) {
    if ((event.target as Element).closest('input, textarea, select, dialog, [role=menu]')) return;
    const command = event.ctrlKey || event.metaKey;
    if (command && event.key.toLowerCase() === 'z') void work.step(event.shiftKey ? 'redo' : 'undo');
    else if (command && event.key.toLowerCase() === 'y') void work.step('redo');
    else if (event.key === 'Escape' && (panel || work.pasting)) close();
    else if (event.altKey && event.key.toLowerCase() === 'n' && mayEnter) panel = { kind: 'new' };
    else if (event.altKey && event.key.toLowerCase() === 's') void goto(`/w/${workspace}/t/${table.key}/structure`);
    else if (event.altKey && event.key.toLowerCase() === 'o' && set.moved) void set.refresh();
    else return;
    event.preventDefault();
  }

  const dyes = $derived(shown.view.colours.map(({ dye }) => dye));
  const selected = $derived(panel?.kind === 'record' ? panel.id : null);
  /** The registry: how each kind of view is drawn. */
  const views: Record<ViewKind, Snippet> = { grid, beside, cards, board, calendar };

  const exportOf = (format: string) =>
    `/api/workspaces/${workspace}/tables/${table.key}/export?${new URLSearchParams({ format, fields: shown.columns.map(({ field }) => field.key).join(','), filter, sort: order })}`;
</script>

<svelte:head><title>{shown.held.view.label} · {table.label} · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window
  onkeydown={key}
  onclick={(event) => menu && !(event.target as Element).closest('[role=menu], .more') && (menu = null)}
/>

{#snippet beside()}
  <div class="sides">
    <RecordList
      model={data.model}
      {table}
      {set}
      columns={shown.columns}
      {dyes}
      selected={besideList}
      titleOf={(one) => work.titleOf(one)}
      onselect={(one) => (besideList = one.id)}
    />
    {#if besideList !== null}
      <RecordPlace
        {workspace}
        model={data.model}
        {table}
        {set}
        {work}
        id={besideList}
        {mayEdit}
        page={pageOf(besideList)}
        ongo={(one) => (besideList = one.id)}
        onremove={(one) => (panel = { kind: 'removal', ids: [one.id] })}
        ontrace={trace}
      />
    {/if}
  </div>
{/snippet}

{#snippet cards()}
  <Cards
    {workspace}
    model={data.model}
    {table}
    {set}
    columns={shown.columns}
    picture={shown.written.picture}
    {dyes}
    {selected}
    titleOf={(one) => work.titleOf(one)}
    onselect={select}
  />
{/snippet}

{#snippet board()}
  {#if by}
    <Board
      {workspace}
      model={data.model}
      {table}
      query={{ fields: keys, filter, sort: shown.written.sort, marks: JSON.parse(marks) as string[] }}
      {shape}
      field={by}
      columns={shown.columns}
      groups={totals.answer?.groups ?? []}
      {asked}
      {dyes}
      {selected}
      {mayEdit}
      {heard}
      titleOf={(one) => work.titleOf(one)}
      onselect={select}
      onmove={place}
    />
  {:else}
    <p class="empty">Choose above what the board is laid out by.</p>
  {/if}
{/snippet}

{#snippet calendar()}
  {#if by}
    <CalendarView
      {workspace}
      {table}
      fields={keys}
      {filter}
      marks={JSON.parse(marks) as string[]}
      {by}
      until={until ?? null}
      {dyes}
      {selected}
      {mayEdit}
      {heard}
      titleOf={(one) => work.titleOf(one)}
      onselect={select}
      onwrite={(one, values) =>
        work.writeAll([{ id: one.id, values }], `${work.titleOf(one)} moved`).then(() => void heard++)}
      onnew={(day) =>
        (panel = { kind: 'new', preset: { [by.key]: by.type.kind === 'dateTime' ? `${day} 12:00` : day } })}
    >
      {#snippet extra()}
        {#if data.workspace.may.takeOut}<CalendarAddress {workspace} {table} view={shown.held.id} />{/if}
      {/snippet}
    </CalendarView>
  {:else}
    <p class="empty">Choose above what the calendar is laid out by.</p>
  {/if}
{/snippet}

{#snippet grid()}
  <RecordGrid
    bind:this={gridShown}
    {workspace}
    model={data.model}
    {table}
    {set}
    {work}
    {columns}
    {groups}
    lines={shown.view.lines}
    sort={shown.written.sort}
    totals={asked.length > 0 ? { asked, all: totals.answer?.totals ?? [] } : null}
    {dyes}
    {mayEdit}
    {mayEnter}
    {selected}
    onat={(one, field) => live.at({ table: table.key, record: one, field })}
    onselect={(one, opens) => (opens || panel?.kind === 'record') && select(one)}
    onsort={sortBy}
    oncolumn={changeColumn}
    onmenu={(column, opener) => {
      const { left, bottom } = opener.getBoundingClientRect();
      menu = { column, x: left, y: bottom, opener };
    }}
    onremove={(records) => (panel = { kind: 'removal', ids: records.map(({ id }) => id) })}
    ontrace={trace}
    onlinked={linked}
  />
{/snippet}

<TableStage {table} side="records">
  {#snippet head()}
    <TableSearch
      {workspace}
      {table}
      onopen={(id) => void open(set, id)}
      onfilter={(condition) => shown.set({ filter: filter ? `(${filter}) and ${condition}` : condition })}
    />
    {#if may?.write}<RunMenu
        {workspace}
        model={data.model}
        {table}
        chosen={() => gridShown?.chosenRecords() ?? (selected === null ? [] : [selected])}
      />{/if}
    {#if mayEdit}<Menu
        label="Transfer records"
        items={transfers}
        onopen={() => (picked = gridShown?.chosenRecords() ?? [])}>Transfer ▾</Menu
      >{/if}
    {#if documents.length > 0}<Menu
        label="Make a document"
        items={documents}
        onopen={() => (picked = gridShown?.chosenRecords() ?? (selected === null ? [] : [selected]))}>Documents ▾</Menu
      >{/if}
    {#if data.workspace.may.takeOut}<Menu
        label="Export what is shown"
        items={[
          { label: 'CSV', href: exportOf('csv'), section: 'for a spreadsheet' },
          { label: 'Workbook (XLSX)', href: exportOf('xlsx'), section: 'for a spreadsheet' },
          { label: 'OpenDocument (ODS)', href: exportOf('ods'), section: 'for a spreadsheet' },
          { label: 'CSV with keys', href: `${exportOf('csv')}&for=program`, section: 'for a program' },
          { label: 'JSON', href: exportOf('json'), section: 'for a program' },
        ]}>Export ▾</Menu
      >{/if}
    {#if mayEnter}<Button kind="main" onclick={() => (panel = { kind: 'new' })} title="Alt+N">New record</Button>{/if}
  {/snippet}
  <div class="words">
    <ViewLine
      model={data.model}
      {table}
      views={data.views}
      {shown}
      mayShare={data.workspace.may.share}
      oncolumn={changeColumn}
    />
  </div>
  <WorkQuestions {work} />
  {#if totals.answer?.cut && group}
    <p class="cut">There are more groups than can be shown: group by a coarser step, or set a filter.</p>
  {/if}
  {#if set.problem ?? totals.problem}
    <p class="refused" role="alert">
      {set.problem ?? totals.problem}
      <button onclick={() => void Promise.all([set.again(), totals.read()])}>Try again</button>
    </p>
  {/if}
  {#if set.problem && !set.opened}
    <div class="empty"></div>
  {:else if set.opened && set.rows === 0 && (filter || !mayEnter)}
    <div class="empty">
      {#if filter}<p>
          No record meets this filter. <button onclick={() => shown.set({ filter: '' })}>Show all</button>
        </p>
      {:else}<p>No records yet.</p>{/if}
    </div>
  {:else}
    {@render views[kind]()}
  {/if}
  <footer>
    <span
      >{set.count === null ? 'counting …' : counted(set.count, 'record')}{filter ? ' meet the filter' : ''}{set.fresh
        .length > 0
        ? ` · ${set.fresh.length} made just now, at the end`
        : ''}</span
    >
    {#if set.moved}<button onclick={() => void set.refresh()} title="Alt+O">The order has changed · sort again</button
      >{/if}
    <span class="keys"
      >{mayEdit
        ? 'Enter edits or explains · Space opens · Ctrl+C Ctrl+V · Ctrl+D fills · Shift+Delete deletes · Ctrl+Z undoes'
        : 'Enter explains · Space opens · Alt+S structure'}</span
    >
  </footer>
</TableStage>

{#if menu}
  {@const { column } = menu}
  <MenuList
    label="{columns[column]?.field.label ?? ''}: what can be done"
    at={menu}
    items={columnMenu(
      { model: data.model, table, structure: `/w/${workspace}/t/${table.key}/structure` },
      shown.written,
      columns,
      column,
      {
        change: changeColumn,
        set: (parts) => shown.set(parts),
        spread: (field) => (panel = { kind: 'spread', field: field.id, where: filter }),
      },
    )}
    onclose={closeMenu}
  />
{/if}

<RecordInspector
  Linked={LinkedRecord}
  {workspace}
  model={data.model}
  {table}
  {set}
  {work}
  mayEdit={panel?.kind === 'new' ? mayEnter : mayEdit}
  {panel}
  {pageOf}
  onpanel={(next) => (panel = next)}
  onclose={close}
  onremoved={() => (besideList = null)}
/>

<style>
  .words {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 14px;
    align-items: center;
    padding: 0 14px 8px;
    border-bottom: 1px solid var(--line);
  }
  .empty button,
  .refused button,
  footer button {
    color: var(--woad);
    text-decoration: underline;
  }
  .refused {
    padding: 6px 14px;
    color: var(--madder);
  }
  .sides {
    display: flex;
    flex: 1;
    min-height: 0;
  }
  @media (max-width: 800px) {
    .sides {
      flex-direction: column;
    }
  }
  .cut {
    padding: 4px 14px;
    color: var(--weld);
    font-size: 13px;
    background: var(--weld-tint);
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
