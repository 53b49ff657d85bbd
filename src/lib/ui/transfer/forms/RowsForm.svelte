<script lang="ts">
  import { untrack } from 'svelte';
  import { isWritten, ownTables, tableNamed } from '$core/model/model';
  import type { Written } from '$core/filled/written';
  import Choice from '../Choice.svelte';
  import FieldTicks from '../FieldTicks.svelte';
  import type { FormProps } from '../form';

  /** Columns of one kind become records of a table under each record. */
  const { model, begun, onwant }: FormProps = $props();
  const start = untrack(() => begun);
  let table = $state(String(start.table ?? ''));
  let columns = $state.raw<readonly string[]>(
    ((start.columns ?? []) as readonly Written[]).map(({ field }) => String(field)),
  );
  let label = $state(String(start.label ?? ''));
  let nameLabel = $state(String(start.nameLabel ?? 'Period'));
  let valueLabel = $state(String(start.valueLabel ?? 'Value'));
  let remove = $state(start.remove !== false);
  const accept = untrack(() => begun.accept === true);
  const of = $derived(tableNamed(model, table));
  const open = $derived((of?.fields ?? []).filter((field) => isWritten(field) && field.type.kind !== 'link'));

  $effect(() => {
    const ready = of !== undefined && columns.length > 0 && label.trim() !== '';
    const json: Written | null = ready
      ? {
          work: 'toRows',
          table,
          // In the order of the table, whatever the order of choosing.
          columns: open.filter(({ key }) => columns.includes(key)).map(({ key }) => ({ field: key })),
          label: label.trim(),
          nameLabel: nameLabel.trim() || 'Period',
          valueLabel: valueLabel.trim() || 'Value',
          remove,
          ...(accept ? { accept } : {}),
        }
      : null;
    untrack(() => onwant(json));
  });
</script>

<div class="asking">
  <Choice label="Table" of={ownTables(model)} bind:value={table} onchange={() => (columns = [])} />
</div>
{#if of}
  <FieldTicks legend="Columns that become rows" fields={open} chosen={columns} onchange={(now) => (columns = now)} />
  <div class="asking">
    <label>The new table <input class="in-line" bind:value={label} placeholder="Months" /></label>
    <label>What a column stood for <input class="in-line" bind:value={nameLabel} /></label>
    <label>Its value <input class="in-line" bind:value={valueLabel} /></label>
    <label class="tick"><input type="checkbox" bind:checked={remove} /> the columns go to the bin</label>
  </div>
{/if}
