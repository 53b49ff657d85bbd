<script lang="ts">
  import { untrack } from 'svelte';
  import { fieldNamed, isEntered, isToMany, tableNamed } from '$core/model/model';
  import type { Written } from '$core/filled/written';
  import FormulaEditor from '../../formula/FormulaEditor.svelte';
  import Choice from '../Choice.svelte';
  import type { FormProps } from '../form';
  import RecordsChoice from '../RecordsChoice.svelte';

  /** One field of many records, filled by a formula. */
  const { workspace, model, begun, onwant }: FormProps = $props();
  const start = untrack(() => begun);
  const first = untrack(() => (start.set as readonly Written[] | undefined)?.[0]);
  let of = $state.raw({
    table: String(start.table ?? ''),
    where: String(start.where ?? ''),
    records: (start.records as readonly number[] | undefined) ?? null,
  });
  let field = $state(String(first?.field ?? start.field ?? ''));
  let formula = $state(String(first?.formula ?? ''));
  const table = $derived(tableNamed(model, of.table));
  const fields = $derived((table?.fields ?? []).filter((one) => isEntered(one) && !isToMany(one)));
  const chosen = $derived(table && fieldNamed(table, field));

  $effect(() => {
    const ready = table !== undefined && field !== '' && formula.trim() !== '';
    const json = ready ? { work: 'fill', ...of, set: [{ field, formula: formula.trim() }] } : null;
    untrack(() => onwant(json));
  });
</script>

<RecordsChoice
  {model}
  {...of}
  onchange={(now) => {
    if (now.table !== of.table) field = '';
    of = now;
  }}
/>
{#if table}
  <div class="asking">
    <Choice label="Field to fill" of={fields} bind:value={field} />
  </div>
  {#if chosen}
    <p class="label">{chosen.label} becomes</p>
    <FormulaEditor
      {workspace}
      {model}
      table={table.id}
      {formula}
      focus={false}
      called="Formula for {chosen.label}"
      example="coalesce({chosen.key}, '…')"
      onchange={(now) => (formula = now)}
    />
    <p class="soft">
      Records that have the value already are left alone. A value that does not fit leaves its record as it is.
    </p>
  {/if}
{/if}

<style>
  .label {
    margin: 4px 0;
    font-weight: 500;
  }
  .soft {
    margin-top: 6px;
    color: var(--ink-faint);
    font-size: 13px;
  }
</style>
