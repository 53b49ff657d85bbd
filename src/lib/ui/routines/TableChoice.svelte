<script lang="ts">
  import { tableKey } from '$core/filled/written';
  import { feedOf } from '$core/flow/feeds';
  import type { Model, Table } from '$core/types/model';

  /** A table whose records a step makes, finds or writes. */
  const {
    label,
    model,
    value,
    fit = () => true,
    onchange,
  }: {
    label: string;
    model: Model;
    value: string;
    fit?: (table: Table) => boolean;
    onchange: (key: string) => void;
  } = $props();
  const tables = $derived(model.tables.filter((table) => !table.pairs && !feedOf(table) && fit(table)));
</script>

<label
  >{label}
  <select class="in-line" {value} onchange={(event) => onchange(event.currentTarget.value)}>
    <option value="" disabled>choose a table</option>
    {#each tables as table (table.id)}
      <option value={tableKey(table)}>{table.label}{table.home === undefined ? '' : ` (in ${table.home})`}</option>
    {/each}
  </select></label
>
