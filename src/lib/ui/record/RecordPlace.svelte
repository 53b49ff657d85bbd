<script lang="ts">
  import { formsOf } from '$core/forms/form';
  import ChevronDown from '@lucide/svelte/icons/chevron-down';
  import ChevronUp from '@lucide/svelte/icons/chevron-up';
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { partsOf } from '$core/types/part';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import Button from '../controls/Button.svelte';
  import Menu from '../controls/Menu.svelte';
  import { useFrame } from '../frame/context';
  import type { RecordSet, ShownRecord } from '../records/recordSet.svelte';
  import RunButtons from '../routines/RunButtons.svelte';
  import RecordSheet from './RecordSheet.svelte';
  import type { RecordWork } from '../records/recordWork.svelte';

  /**
   * One record with its head: where it stands in the order one came from, the ways to its neighbours, and what can be
   * done with it.
   */
  const {
    workspace,
    model,
    table,
    set,
    work,
    id,
    mayEdit,
    ongo,
    onremove,
    ontrace,
    page = null,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    set: RecordSet;
    work: RecordWork;
    id: number;
    mayEdit: boolean;
    /** To the record in another row. */
    ongo: (record: ShownRecord) => void;
    onremove: (record: ShownRecord) => void;
    ontrace: (record: ShownRecord, field: Field) => void;
    /** The address of the record’s own page, where this is not it. */
    page?: string | null;
  } = $props();
  let problem = $state<string | null>(null);
  const record = $derived(set.whole?.id === id ? set.whole : undefined);
  const { live } = useFrame();
  const row = $derived(set.rowOf(id));
  const others = $derived([
    ...new Set(live.here.filter((one) => one.table === table.id && one.record === id).map(({ name }) => name)),
  ]);
  const [before, after] = $derived(row === null ? [undefined, undefined] : [set.at(row - 1), set.at(row + 1)]);
  /** Rows that are still to be gone, downwards: keys come faster than records, and none of them is lost. */
  let owed = $state(0);
  /** The record one is on the way to, and the rows to it. */
  let going: { readonly id: number; readonly rows: number } | null = null;

  $effect(() => {
    const [asked, within] = [id, set];
    untrack(
      () =>
        void within.read(asked).then((refused) => {
          const movedTo = refused?.movedTo as { workspace: string; table: string; id: number } | undefined;
          // An old address leads on.
          if (movedTo) void goto(`/w/${movedTo.workspace}/t/${movedTo.table}/r/${movedTo.id}`, { replaceState: true });
          else problem = refused ? [refused.message, refused.fix].filter(Boolean).join(' ') : null;
        }),
    );
  });
  $effect(() => {
    if (row !== null) untrack(() => set.want(Math.max(0, row - 1), row + 1));
  });

  $effect(() => {
    const at = id;
    untrack(() => {
      // Whoever went somewhere else by another way is there.
      owed = at === going?.id ? owed - going.rows : 0;
      going = null;
    });
  });
  $effect(() => {
    if (owed === 0 || row === null) return;
    const goal = Math.min(Math.max(row + owed, 0), set.rows - 1);
    if (goal === row) owed = 0;
    else {
      set.want(goal, goal);
      const to = set.at(goal);
      if (to && to.id !== going?.id) {
        going = { id: to.id, rows: owed };
        ongo(to);
      }
    }
  });

  function key(event: KeyboardEvent) {
    if (!event.altKey || (event.key !== 'ArrowDown' && event.key !== 'ArrowUp')) return;
    owed += event.key === 'ArrowDown' ? 1 : -1;
    event.preventDefault();
  }
</script>

<svelte:window onkeydown={key} />

<div class="place">
  {#if problem}<p class="refused" role="alert">{problem}</p>
  {:else if record}
    <header>
      <h1>{work.titleOf(record)}</h1>
      {#if others.length > 0}<span class="others"
          >{others.join(', ')} {others.length === 1 ? 'is' : 'are'} here, too</span
        >{/if}
      <span class="where">{row === null ? '' : `${(row + 1).toLocaleString()} of ${set.rows.toLocaleString()}`}</span>
      <button aria-label="The record before" title="Alt+↑" disabled={!before} onclick={() => before && ongo(before)}
        ><ChevronUp size={18} /></button
      >
      <button aria-label="The record after" title="Alt+↓" disabled={!after} onclick={() => after && ongo(after)}
        ><ChevronDown size={18} /></button
      >
      {#if page}<Button kind="quiet" href={page}>Open full page</Button>{/if}
      <Menu
        label="What can be done with {work.titleOf(record)}"
        items={[
          { label: 'Print', keys: 'Ctrl+P', run: () => print() },
          ...partsOf(table, 'document').map((document) => ({
            label: `Make “${document.label}”`,
            href: `/w/${table.home ?? workspace}/t/${table.key}/documents/${document.id}/make?records=${record.id}`,
          })),
          ...(mayEdit
            ? [
                ...formsOf(table).map((form) => ({
                  label: `Change it by the form “${form.label}”`,
                  href: `/w/${workspace}/t/${table.key}/forms/${form.id}/fill?record=${record.id}`,
                })),
                { label: 'Copy the record', run: () => void work.copy([record]) },
                { label: 'Delete …', keys: 'Shift+Delete', run: () => onremove(record) },
              ]
            : []),
        ]}><span aria-hidden="true">…</span></Menu
      >
    </header>
    {#if mayEdit}<div class="buttons"><RunButtons {workspace} {model} {table} record={record.id} /></div>{/if}
    {#key record.id}
      <RecordSheet
        {workspace}
        {model}
        {table}
        {record}
        {mayEdit}
        onedit={(field, value) => void work.edit(record, field, value)}
        ontrace={(field) => ontrace(record, field)}
      />
    {/key}
  {:else}<p class="wait">Reading …</p>{/if}
</div>

<style>
  .place {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    background: var(--raised);
  }
  header {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 8px 20px 0;
  }
  h1 {
    font-size: 19px;
    overflow-wrap: anywhere;
  }
  .buttons {
    padding: 6px 20px 0;
  }
  .others {
    padding-left: 10px;
    color: var(--dye-heather);
    font-size: 13px;
  }
  .where {
    flex: 1;
    padding-left: 8px;
    color: var(--ink-faint);
    font-size: 12px;
  }
  header > button {
    padding: 3px;
    color: var(--ink-soft);
    border-radius: 3px;
  }
  header > button:disabled {
    opacity: 0.3;
  }
  header > button:hover:not(:disabled) {
    background: var(--sunken);
  }
  .wait,
  .refused {
    padding: 20px;
    color: var(--ink-soft);
  }
  .refused {
    color: var(--madder);
  }
  @media print {
    .place {
      display: block;
    }
    header > :global(:not(h1)) {
      display: none !important;
    }
  }
</style>
