<script lang="ts">
  import { tick } from 'svelte';
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
  /** What did not fit, where the field is still blank. */
  const aside = $derived(value === null || value === undefined ? record.aside?.[field.key] : undefined);
  const mayFill = $derived(mayEdit && isEntered(field));
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
  // What holds links of its own cannot be a button: they would not be reached.
  const holdsLinks = $derived(
    value !== null &&
      value !== undefined &&
      (['url', 'email', 'files', 'pictures'].includes(field.type.kind) || (field.type.kind === 'longText' && field.type.markdown === true)),
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
  {:else if href || (mayFill && holdsLinks)}
    <span class="row">
      {#if href}<a {href}><CellValue {model} {field} {value} large /></a>{:else}<CellValue {model} {field} {value} large />{/if}
      {#if mayFill}<button class="change" onclick={() => (editing = true)} aria-label="Change {field.label}">change</button>{/if}
    </span>
  {:else if mayFill && aside}
    <button
      class="value aside"
      onclick={() => (editing = true)}
      aria-label="Correct {field.label}: “{aside.text}” is set aside"
      title="Set aside: {aside.reason}">{aside.text}</button
    >
  {:else if mayFill}
    <button class="value" onclick={() => (editing = true)} aria-label="Change {field.label}"><CellValue {model} {field} {value} large /></button>
  {:else if field.type.kind === 'formula' && ontrace}
    <button class="value" onclick={ontrace} title="Explain value" aria-label="Explain {field.label}"><CellValue {model} {field} {value} large /></button>
  {:else}
    <CellValue {model} {field} {value} large />
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
