<script lang="ts">
  import { untrack } from 'svelte';
  import { isWritten, ownTables, tableNamed } from '$core/model/model';
  import type { Written } from '$core/filled/written';
  import Choice from '../Choice.svelte';
  import FieldTicks from '../FieldTicks.svelte';
  import Exceptions from '../Exceptions.svelte';
  import type { FormProps } from '../form';

  /** Columns that a key decides become a table: which key, which columns, and what its exceptions mean. */
  const { workspace, model, begun, onwant }: FormProps = $props();
  const start = untrack(() => begun);
  let table = $state(String(start.table ?? ''));
  let by = $state.raw<readonly string[]>((start.by as readonly string[] | undefined) ?? []);
  let fields = $state.raw<readonly string[]>((start.fields as readonly string[] | undefined) ?? []);
  let label = $state(String(start.label ?? ''));
  let linkLabel = $state(String(start.linkLabel ?? ''));
  let decisions = $state.raw<readonly Written[]>((start.decisions as readonly Written[] | undefined) ?? []);
  const accept = untrack(() => begun.accept === true);
  const of = $derived(tableNamed(model, table));
  const open = $derived((of?.fields ?? []).filter(isWritten));

  $effect(() => {
    const ready = of !== undefined && by.length > 0 && fields.length > 0 && label.trim() !== '';
    const json: Written | null = ready
      ? {
          work: 'splitOff',
          table,
          by,
          fields,
          label: label.trim(),
          linkLabel: linkLabel.trim() || label.trim(),
          decisions,
          ...(accept ? { accept } : {}),
        }
      : null;
    untrack(() => onwant(json));
  });
</script>

<div class="asking">
  <Choice
    label="Table"
    of={ownTables(model)}
    bind:value={table}
    onchange={() => ([by, fields, decisions] = [[], [], []])}
  />
</div>
{#if of}
  <FieldTicks
    legend="Decided by (the key)"
    fields={open}
    chosen={by}
    onchange={(now) => ((by = now), (decisions = []))}
  />
  <FieldTicks
    legend="Columns that go with it"
    fields={open.filter(({ key }) => !by.includes(key))}
    chosen={fields}
    onchange={(now) => ((fields = now), (decisions = []))}
  />
  <div class="asking">
    <label>The new table <input class="in-line" bind:value={label} placeholder="Keepers" /></label>
    <label>The link to it <input class="in-line" bind:value={linkLabel} placeholder={label || 'Keeper'} /></label>
  </div>
  {#if by.length > 0 && fields.length > 0}
    <Exceptions {workspace} table={of} {by} {fields} {decisions} onchange={(now) => (decisions = now)} />
  {/if}
{/if}
