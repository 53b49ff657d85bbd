<script lang="ts">
  import { isEntered, type Field, type Model, type Table } from '$core/model/model';
  import CellValue from '../values/CellValue.svelte';
  import CellEditor from './CellEditor.svelte';
  import type { ShownRecord } from './recordSet.svelte';

  /** One field of a record where it is shown whole: a click edits what people fill in, and explains what is calculated. */
  const {
    workspace,
    model,
    table,
    record,
    field,
    href = null,
    mayEdit,
    onedit,
    ontrace,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    record: ShownRecord;
    field: Field;
    /** Where what it names is shown. */
    href?: string | null;
    mayEdit: boolean;
    onedit: (value: unknown) => void;
    /** Says how a calculated value came about. */
    ontrace?: () => void;
  } = $props();
  let editing = $state(false);
  const value = $derived(record.values[field.key]);
  const mayFill = $derived(mayEdit && isEntered(field));
  // What holds links of its own cannot be a button: they would not be reached.
  const holdsLinks = $derived(
    value !== null &&
      value !== undefined &&
      (['url', 'email', 'files', 'pictures'].includes(field.type.kind) || (field.type.kind === 'longText' && field.type.markdown === true)),
  );
</script>

{#if editing}
  <CellEditor
    {workspace}
    {model}
    {table}
    {field}
    record={record.id}
    {value}
    start={null}
    oncommit={(now) => ((editing = false), onedit(now))}
    oncancel={() => (editing = false)}
  />
{:else if href || (mayFill && holdsLinks)}
  <span class="row">
    {#if href}<a {href}><CellValue {model} {field} {value} large /></a>{:else}<CellValue {model} {field} {value} large />{/if}
    {#if mayFill}<button class="change" onclick={() => (editing = true)} aria-label="Change {field.label}">change</button>{/if}
  </span>
{:else if mayFill}
  <button class="value" onclick={() => (editing = true)} aria-label="Change {field.label}"><CellValue {model} {field} {value} large /></button>
{:else if field.type.kind === 'formula' && ontrace}
  <button class="value" onclick={ontrace} title="Explain value" aria-label="Explain {field.label}"><CellValue {model} {field} {value} large /></button>
{:else}
  <CellValue {model} {field} {value} large />
{/if}

<style>
  .value {
    width: 100%;
    min-height: 24px;
    text-align: left;
    border-radius: 3px;
  }
  .value:hover {
    background: var(--sunken);
  }
  .row {
    display: flex;
    gap: 8px;
    justify-content: space-between;
  }
  .change {
    color: var(--woad);
    font-size: 12px;
    text-decoration: underline;
  }
  @media print {
    .change {
      display: none;
    }
  }
</style>
