<script lang="ts">
  import { fieldOf, isEntered, isShown, isToMany, tableOf, valueTypeOf, type Field, type Model, type Table } from '$core/model/model';
  import Button from '../controls/Button.svelte';
  import CellValue from '../values/CellValue.svelte';
  import { isCalculated } from '../values/show';
  import CellEditor from './CellEditor.svelte';
  import type { ShownRecord } from './recordSet.svelte';

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
    /** Says how a calculated value came about. */
    ontrace?: (field: Field) => void;
  } = $props();
  let editing = $state<string | null>(null);

  const holdsLinks = ({ type }: Field, value: unknown) =>
    value !== null &&
    value !== undefined &&
    (['url', 'email', 'files', 'pictures'].includes(type.kind) || (type.kind === 'longText' && type.markdown === true));

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
        {#if editing === field.id}
          <CellEditor
            {workspace}
            {model}
            {table}
            {field}
            record={record.id}
            value={record.values[field.key]}
            start={null}
            oncommit={(value) => ((editing = null), onedit(field, value))}
            oncancel={() => (editing = null)}
          />
        {:else if mayEdit && isEntered(field) && holdsLinks(field, record.values[field.key])}
          <!-- What holds links of its own cannot be a button: they would not be reached. -->
          <div class="linked">
            <CellValue {model} {field} value={record.values[field.key]} large />
            <button class="add" onclick={() => (editing = field.id)} aria-label="Change {field.label}">change</button>
          </div>
        {:else if mayEdit && isEntered(field)}
          <button class="value" onclick={() => (editing = field.id)} aria-label="Change {field.label}"
            ><CellValue {model} {field} value={record.values[field.key]} large /></button
          >
        {:else if field.type.kind === 'counterpart' && !isToMany(field)}
          {#if href}<a {href}><CellValue {model} {field} value={record.values[field.key]} /> in {tableOf(model, field.type.from).label}</a>{:else}<CellValue
              {model}
              {field}
              value={record.values[field.key]}
            />{/if}
          {#if mayEdit && onadd && tableOf(model, field.type.from).home === undefined}<button class="add" onclick={() => onadd(field)}>+ new</button>{/if}
        {:else if field.type.kind === 'formula' && ontrace}
          <button class="value" onclick={() => ontrace(field)} title="How it came about" aria-label="How {field.label} came about"
            ><CellValue {model} {field} value={record.values[field.key]} large /></button
          >
        {:else}
          <CellValue {model} {field} value={record.values[field.key]} large />
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
    align-items: baseline;
    padding: 3px 8px;
    margin: 0 -8px;
    border-bottom: 1px solid var(--line);
  }
  dt {
    color: var(--ink-soft);
    font-size: 13px;
  }
  dd {
    min-height: 24px;
    overflow-wrap: anywhere;
  }
  .value {
    display: block;
    width: 100%;
    min-height: 24px;
    padding: 1px 6px;
    margin-left: -6px;
    text-align: left;
    border-radius: 3px;
  }
  .linked .add {
    margin-left: 0;
  }
  .value:hover {
    background: var(--sunken);
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
