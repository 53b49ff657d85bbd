<script lang="ts" module>
  import type { TableId } from '$core/types/identity';
  import type { RecordName } from './linked';

  /** What the inspector beside records shows. */
  export type RecordPanelShown =
    | { readonly kind: 'record'; readonly id: number }
    | { readonly kind: 'removal'; readonly ids: readonly number[] }
    | { readonly kind: 'new'; readonly preset?: Readonly<Record<string, unknown>> }
    | { readonly kind: 'linked' | 'trace'; readonly field: string; readonly id: number }
    /** How the values of a field are spread over the records that meet a condition. */
    | { readonly kind: 'spread'; readonly field: string; readonly where: string }
    | { readonly kind: 'other'; readonly table: TableId; readonly record: RecordName; readonly from: RecordPanelShown }
    | null;
</script>

<script lang="ts">
  import type { Component } from 'svelte';
  import { fieldOf, tableOf } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import Inspector from '../frame/Inspector.svelte';
  import { useFrame } from '../frame/context';
  import { counted } from '../values/words';
  import type { LinkedShown } from './linked';
  import NewRecord from './NewRecord.svelte';
  import PastePanel from '../grid/PastePanel.svelte';
  import SpreadPanel from '../grid/SpreadPanel.svelte';
  import RecordPanel from './RecordPanel.svelte';
  import type { RecordSet } from '../records/recordSet.svelte';
  import type { RecordWork } from '../records/recordWork.svelte';
  import WorkQuestions from '../records/WorkQuestions.svelte';
  import RunButtons from '../routines/RunButtons.svelte';
  import RemovalPanel from './RemovalPanel.svelte';
  import TracePanel from './TracePanel.svelte';

  /**
   * The inspector beside records: one of them, a new one, what a deletion or a paste would do, how a value came about.
   */
  const {
    workspace,
    model,
    table,
    set,
    work,
    mayEdit,
    panel,
    back = null,
    asks = false,
    Linked,
    pageOf,
    onpanel,
    onclose,
    onremoved,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    set: RecordSet;
    work: RecordWork;
    mayEdit: boolean;
    panel: RecordPanelShown;
    /** The way back to what was beside before. */
    back?: { readonly label: string; readonly go: () => void } | null;
    /** What its edits ask is asked here: what it stands beside edits other records. */
    asks?: boolean;
    /** Shows a record of another table here, in an inspector of its own. */
    Linked: Component<LinkedShown>;
    /** The address of a record's own page. */
    pageOf: (id: number) => string;
    onpanel: (panel: RecordPanelShown) => void;
    onclose: () => void;
    /** Records were deleted from here. */
    onremoved: () => void;
  } = $props();
  const { notices } = useFrame();
  const record = $derived(panel && 'id' in panel ? set.withId(panel.id) : undefined);
  /** The link of another table for which a record is being made from here. */
  const linked = $derived.by(() => {
    const field = panel?.kind === 'linked' ? fieldOf(model, panel.field).field : undefined;
    return field?.type.kind === 'counterpart' && !field.type.over ? fieldOf(model, field.type.link) : undefined;
  });
  const traced = $derived(
    panel?.kind === 'trace' ? table.fields.find(({ id }) => panel.kind === 'trace' && id === panel.field) : undefined,
  );

  function titleOf(ids: readonly number[]): string {
    const one = ids.length === 1 ? set.withId(ids[0] ?? 0) : undefined;
    return one ? work.titleOf(one) : counted(ids.length, 'record');
  }

  async function remove(ids: readonly number[]) {
    const [id] = ids;
    // What is asked about it here is answered here.
    if (asks && id !== undefined) onpanel({ kind: 'record', id });
    else onclose();
    if (await work.remove(ids)) onremoved();
  }

  function made(words: string, batch: number) {
    notices.done(words, { label: 'Undo', run: () => void work.undo(batch) });
    void set.refresh();
  }
</script>

{#if work.pasting && (work.pasting.preview.cells.misfit > 0 || !work.going)}
  <Inspector kind="Paste into" title={table.label} dye={table.dye} {onclose}>
    <PastePanel {work} oncancel={onclose} />
  </Inspector>
{:else if panel?.kind === 'new'}
  <Inspector kind="New record of" title={table.label} dye={table.dye} {onclose}>
    <NewRecord
      {workspace}
      {model}
      {table}
      preset={panel.preset ?? {}}
      onmade={(batch) => made('Record made.', batch)}
    />
  </Inspector>
{:else if panel?.kind === 'linked' && record && linked}
  {@const { field: link, table: from } = linked}
  {@const one = record}
  <Inspector
    kind="New record of {from.label}, for"
    title={work.titleOf(one)}
    dye={from.dye}
    onclose={() => onpanel({ kind: 'record', id: one.id })}
  >
    <NewRecord
      {workspace}
      {model}
      table={from}
      preset={{ [link.key]: { id: one.id, title: work.titleOf(one) } }}
      onmade={(batch) => made(`Record of ${from.label} made.`, batch)}
    />
  </Inspector>
{:else if panel?.kind === 'trace' && record && traced}
  {@const one = record}
  <Inspector kind="Explain value" title="{traced.label} of {work.titleOf(one)}" dye={table.dye} {onclose}>
    <TracePanel
      {workspace}
      {model}
      table={table.key}
      field={traced}
      record={one.id}
      onfield={(field) => onpanel({ kind: 'trace', field: field.id, id: one.id })}
    />
  </Inspector>
{:else if panel?.kind === 'spread'}
  {@const spread = table.fields.find(({ id }) => id === panel.field)}
  {#if spread}
    <Inspector kind="How values are spread" title={spread.label} dye={table.dye} {onclose}>
      <SpreadPanel {workspace} {model} {table} field={spread} where={panel.where} />
    </Inspector>
  {/if}
{:else if panel?.kind === 'removal'}
  {@const ids = panel.ids}
  <Inspector kind="Delete" title={titleOf(ids)} dye={table.dye} {onclose}>
    <RemovalPanel
      {workspace}
      table={table.key}
      {ids}
      title={titleOf(ids)}
      onremove={() => void remove(ids)}
      oncancel={onclose}
    />
  </Inspector>
{:else if panel?.kind === 'record' && record}
  {@const one = record}
  <Inspector kind="Record of {table.label}" title={work.titleOf(one)} dye={table.dye} {onclose}>
    <p class="ways">
      {#if back}<button onclick={back.go}>← {back.label}</button>{/if}
      <a href={pageOf(one.id)}>Open full page</a>
    </p>
    {#if asks}<WorkQuestions {work} />{/if}
    {#if mayEdit}<RunButtons {workspace} {model} {table} record={one.id} />{/if}
    <RecordPanel
      {workspace}
      {model}
      {table}
      record={one}
      {mayEdit}
      onedit={(field, value) => void work.edit(one, field, value)}
      onremove={() => onpanel({ kind: 'removal', ids: [one.id] })}
      onadd={(field) => onpanel({ kind: 'linked', field: field.id, id: one.id })}
      onlinked={(other, named) =>
        onpanel({ kind: 'other', table: other.id, record: named, from: { kind: 'record', id: one.id } })}
      ontrace={(field) => onpanel({ kind: 'trace', field: field.id, id: one.id })}
    />
  </Inspector>
{:else if panel?.kind === 'other'}
  {@const { from, record: named } = panel}
  {@const source = from?.kind === 'record' ? set.withId(from.id) : undefined}
  {#key `${panel.table} ${named.id}`}
    <Linked
      {Linked}
      {workspace}
      {model}
      table={tableOf(model, panel.table)}
      record={named}
      {mayEdit}
      back={source ? { label: work.titleOf(source), go: () => onpanel(from) } : back}
      {onclose}
    />
  {/key}
{/if}

<style>
  .ways {
    display: flex;
    gap: 16px;
    justify-content: space-between;
    margin-bottom: 8px;
  }
  .ways > * {
    color: var(--woad);
    text-decoration: underline;
  }
  .ways a {
    margin-left: auto;
  }
</style>
