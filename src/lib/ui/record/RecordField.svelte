<script lang="ts">
  import { tick } from 'svelte';
  import { isTypedInto } from '$core/flow/feeds';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import CellValue from '../values/CellValue.svelte';
  import CellEditor from './CellEditor.svelte';
  import { namedRecords, recordAddress, type RecordName } from './linked';
  import type { ShownRecord } from '../records/recordSet.svelte';

  /**
   * One field of a record where it is shown whole: a click edits what people fill in, and explains what is calculated.
   */
  const {
    workspace,
    model,
    table,
    record,
    field,
    mayEdit,
    onedit,
    onlinked,
    ontrace,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    record: ShownRecord;
    field: Field;
    mayEdit: boolean;
    onedit: (value: unknown) => void;
    /** Shows a record that it names beside; without it the name leads to that record's page. */
    onlinked?: (table: Table, record: RecordName) => void;
    /** Says how a calculated value came about. */
    ontrace?: () => void;
  } = $props();
  let editing = $state(false);
  const value = $derived(record.values[field.key]);
  /** What did not fit, where the field is still blank. */
  const aside = $derived(value === null || value === undefined ? record.aside?.[field.key] : undefined);
  const mayFill = $derived(mayEdit && isTypedInto(table, field));
  let place = $state<HTMLElement | null>(null);

  /** The editor gives way to what it filled: the focus stays there, or goes on to the next field by Tab. */
  async function ended(key?: string, back = false) {
    editing = false;
    if (key === undefined && !place?.contains(document.activeElement)) return;
    await tick();
    const all = [...(place?.closest('.sheet, form, main')?.querySelectorAll<HTMLElement>('.value, .change') ?? [])];
    const own = place?.querySelector<HTMLElement>('.value, .change');
    const at = own ? all.indexOf(own) : -1;
    (key === 'Tab' ? (all[at + (back ? -1 : 1)] ?? own) : own)?.focus();
  }
  const named = $derived(namedRecords(model, field, value));
  const addressOf = $derived(named ? (id: number) => recordAddress(workspace, named.table, id) : undefined);
  const onopen = $derived(
    named && onlinked && named.table.home === undefined
      ? (id: number) => {
          const one = named.records.find((record) => record.id === id);
          if (one) onlinked(named.table, one);
        }
      : undefined,
  );
  // What holds links of its own cannot be a button: they would not be reached.
  const holdsLinks = $derived(
    value !== null &&
      value !== undefined &&
      (named !== null ||
        ['url', 'email', 'files', 'pictures'].includes(field.type.kind) ||
        (field.type.kind === 'longText' && field.type.markdown === true)),
  );
</script>

<span class="place" bind:this={place}>
  {#if editing}
    <CellEditor
      {workspace}
      {model}
      {table}
      {field}
      record={record.id}
      {value}
      start={aside?.text ?? null}
      oncommit={(now, key, back) => (onedit(now), void ended(key, back))}
      oncancel={() => void ended()}
    />
  {:else if mayFill && holdsLinks}
    <span class="row">
      <CellValue {model} {field} {value} large {addressOf} {onopen} />
      {#if mayFill}<button class="change" onclick={() => (editing = true)} aria-label="Change {field.label}"
          >change</button
        >{/if}
    </span>
  {:else if mayFill && aside}
    <button
      class="value aside"
      onclick={() => (editing = true)}
      aria-label="Correct {field.label}: “{aside.text}” is set aside"
      title="Set aside: {aside.reason}">{aside.text}</button
    >
  {:else if mayFill}
    <button class="value" onclick={() => (editing = true)} aria-label="Change {field.label}"
      ><CellValue {model} {field} {value} large /></button
    >
  {:else if field.type.kind === 'formula' && ontrace}
    <button class="value" onclick={ontrace} title="Explain value" aria-label="Explain {field.label}"
      ><CellValue {model} {field} {value} large /></button
    >
  {:else}
    <CellValue {model} {field} {value} large {addressOf} {onopen} />
  {/if}
</span>

<style>
  .place {
    position: relative;
    display: block;
  }
  .aside {
    padding-left: 6px;
    color: var(--ink-soft);
    background: var(--weld-tint);
    border-left: 3px solid var(--weld);
  }
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
    flex: none;
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
