<script lang="ts">
  import type { Model } from '$core/types/model';
  import type { ShownColumn } from '$core/views/view';
  import CellValue from '../values/CellValue.svelte';
  import type { ShownRecord } from '../records/recordSet.svelte';

  /** The fields of a record as lines on a card: what each is called, and its value. */
  const { model, fields, record }: { model: Model; fields: readonly ShownColumn[]; record: ShownRecord } = $props();
</script>

<dl>
  {#each fields as { field } (field.id)}
    <div>
      <dt>{field.label}</dt>
      <dd><CellValue {model} {field} value={record.values[field.key]} /></dd>
    </div>
  {/each}
</dl>

<style>
  div {
    display: flex;
    gap: 8px;
    align-items: baseline;
    height: 24px;
    overflow: hidden;
    white-space: nowrap;
  }
  dt {
    flex: 0 0 92px;
    overflow: hidden;
    color: var(--ink-soft);
    font-size: 12px;
    text-overflow: ellipsis;
  }
  dd {
    overflow: hidden;
    text-overflow: ellipsis;
  }
</style>
