<script lang="ts">
  import { fieldOf, isShown, isToMany, tableOf, valueTypeOf } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import Button from '../controls/Button.svelte';
  import CellValue from '../values/CellValue.svelte';
  import { isCalculated } from '../values/show';
  import type { RecordName } from './linked';
  import RecordField from './RecordField.svelte';
  import type { ShownRecord } from '../records/recordSet.svelte';

  /** One record in the inspector: every field, editable where it is, with ways to what it is linked with. */
  const {
    workspace,
    model,
    table,
    record,
    mayEdit,
    onedit,
    onremove,
    onadd,
    onlinked,
    ontrace,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    record: ShownRecord;
    mayEdit: boolean;
    onedit: (field: Field, value: unknown) => void;
    onremove: () => void;
    /** Makes a record of another table that points at this one. */
    onadd?: (field: Field) => void;
    /** Shows a record that this one names. */
    onlinked: (table: Table, record: RecordName) => void;
    /** Says how a calculated value came about. */
    ontrace?: (field: Field) => void;
  } = $props();
  function linkedHref(field: Field): string | null {
    if (field.type.kind !== 'counterpart') return null;
    const { field: link, table: from } = fieldOf(model, field.type.link);
    if (table.title === null || from.home !== undefined) return null;
    const title = fieldOf(model, table.title);
    const own = record.values[title.field.key];
    if (valueTypeOf(title.field).is !== 'text' || typeof own !== 'string') return null;
    return `/w/${workspace}/t/${from.key}?filter=${encodeURIComponent(`${link.key}.${title.field.key} = '${own.replaceAll("'", "''")}'`)}`;
  }
</script>

<dl>
  {#each table.fields.filter(isShown) as field (field.id)}
    {@const href = linkedHref(field)}
    <div class="field" class:woven={isCalculated(field)}>
      <dt>{field.label}</dt>
      <dd>
        {#if field.type.kind === 'counterpart' && !isToMany(field)}
          {#if href}<a {href}
              ><CellValue {model} {field} value={record.values[field.key]} /> in {tableOf(model, field.type.from)
                .label}</a
            >{:else}<CellValue {model} {field} value={record.values[field.key]} />{/if}
          {#if mayEdit && onadd && tableOf(model, field.type.from).home === undefined}<button
              class="add"
              onclick={() => onadd(field)}>+ new</button
            >{/if}
        {:else}
          <RecordField
            {workspace}
            {model}
            {table}
            {record}
            {field}
            {mayEdit}
            onedit={(value) => onedit(field, value)}
            {onlinked}
            ontrace={ontrace && (() => ontrace(field))}
          />
        {/if}
      </dd>
    </div>
  {/each}
</dl>
{#if mayEdit}
  <div class="steps"><Button kind="danger" onclick={onremove} title="Shift+Delete">Delete…</Button></div>
{/if}

<style>
  .field {
    display: grid;
    grid-template-columns: 120px minmax(0, 1fr);
    gap: 8px;
    align-items: start;
    padding: 3px 8px;
    margin: 0 -8px;
    border-bottom: 1px solid var(--line);
  }
  dt {
    padding-top: 2px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  dd {
    min-height: 24px;
    overflow-wrap: anywhere;
  }
  .add {
    margin-left: 10px;
    color: var(--woad);
    font-size: 13px;
  }
  .steps {
    margin-top: 18px;
  }
</style>
