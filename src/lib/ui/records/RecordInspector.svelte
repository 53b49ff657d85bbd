<script lang="ts" module>
  /** What the inspector beside records shows. */
  export type RecordPanelShown =
    | { readonly kind: 'record'; readonly id: number }
    | { readonly kind: 'removal'; readonly ids: readonly number[] }
    | { readonly kind: 'new'; readonly preset?: Readonly<Record<string, unknown>> }
    | { readonly kind: 'linked' | 'trace'; readonly field: string; readonly id: number }
    | null;
</script>

<script lang="ts">
  import { fieldOf, type Model, type Table } from '$core/model/model';
  import Inspector from '../frame/Inspector.svelte';
  import { useFrame } from '../frame/context';
  import { counted } from '../values/words';
  import NewRecord from './NewRecord.svelte';
  import PastePanel from './PastePanel.svelte';
  import RecordPanel from './RecordPanel.svelte';
  import type { RecordSet } from './recordSet.svelte';
  import type { RecordWork } from './recordWork.svelte';
  import RemovalPanel from './RemovalPanel.svelte';
  import TracePanel from './TracePanel.svelte';

  /** The inspector beside records: one of them, a new one, what a deletion or a paste would do, how a value came about. */
  const {
    workspace,
    model,
    table,
    set,
    work,
    mayEdit,
    panel,
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
  const traced = $derived(panel?.kind === 'trace' ? table.fields.find(({ id }) => panel.kind === 'trace' && id === panel.field) : undefined);

  function titleOf(ids: readonly number[]): string {
    const one = ids.length === 1 ? set.withId(ids[0] ?? 0) : undefined;
    return one ? work.titleOf(one) : counted(ids.length, 'record');
  }

  async function remove(ids: readonly number[]) {
    onclose();
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
    <NewRecord {workspace} {model} {table} preset={panel.preset ?? {}} onmade={(batch) => made('Record made.', batch)} />
  </Inspector>
{:else if panel?.kind === 'linked' && record && linked}
  {@const { field: link, table: from } = linked}
  {@const one = record}
  <Inspector kind="New record of {from.label}, for" title={work.titleOf(one)} dye={from.dye} onclose={() => onpanel({ kind: 'record', id: one.id })}>
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
{:else if panel?.kind === 'removal'}
  {@const ids = panel.ids}
  <Inspector kind="Delete" title={titleOf(ids)} dye={table.dye} {onclose}>
    <RemovalPanel {workspace} table={table.key} {ids} title={titleOf(ids)} onremove={() => void remove(ids)} oncancel={onclose} />
  </Inspector>
{:else if panel?.kind === 'record' && record}
  {@const one = record}
  <Inspector kind="Record of {table.label}" title={work.titleOf(one)} dye={table.dye} {onclose}>
    <a class="page" href={pageOf(one.id)}>Open full page</a>
    <RecordPanel
      {workspace}
      {model}
      {table}
      record={one}
      {mayEdit}
      onedit={(field, value) => void work.edit(one, field, value)}
      onremove={() => onpanel({ kind: 'removal', ids: [one.id] })}
      onadd={(field) => onpanel({ kind: 'linked', field: field.id, id: one.id })}
      ontrace={(field) => onpanel({ kind: 'trace', field: field.id, id: one.id })}
    />
  </Inspector>
{/if}

<style>
  .page {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
