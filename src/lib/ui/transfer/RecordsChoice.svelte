<script lang="ts">
  import { checkCondition } from '$core/formula/checker';
  import { ownTables } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import ConditionBuilder from '../formula/ConditionBuilder.svelte';
  import { useFrame } from '../frame/context';
  import Choice from './Choice.svelte';
  import { counted } from '../values/words';

  /** The records a transfer takes: a table, and all of it, those that meet a condition, or those that were selected. */
  const {
    model,
    table,
    where,
    records,
    onchange,
  }: {
    model: Model;
    table: string;
    where: string;
    records: readonly number[] | null;
    onchange: (now: { table: string; where: string; records: readonly number[] | null }) => void;
  } = $props();
  const frame = useFrame();
  const tables = $derived(ownTables(model));
  const of = $derived(tables.find(({ key }) => key === table));
  let choosing = $state(false);
  const problemOf = (one: Table | undefined, text: string) =>
    one && text.trim() !== '' ? (checkCondition(model, one.id, text).problems[0] ?? null) : null;
  const problem = $derived(problemOf(of, where));
</script>

<div class="asking">
  <Choice
    label="Table"
    of={tables}
    value={table}
    onchange={(key) => onchange({ table: key, where: '', records: null })}
  />
  {#if records}
    <p class="chosen">
      {counted(records.length, 'record')} selected
      <button type="button" onclick={() => onchange({ table, where, records: null })}>take all instead</button>
    </p>
  {:else if of}
    <label class="wide"
      >Only records for which
      <input
        class="in-line"
        value={where}
        spellcheck="false"
        autocomplete="off"
        placeholder="all records"
        aria-invalid={problem !== null}
        oninput={(event) => onchange({ table, where: event.currentTarget.value, records })}
      /></label
    >
    <button type="button" aria-expanded={choosing} onclick={() => (choosing = !choosing)}>choose</button>
  {/if}
</div>
{#if problem}<p class="problem">{problem.message} {problem.fix ?? ''}</p>{/if}
{#if choosing && of && !records}
  <div class="conditions">
    <ConditionBuilder
      {model}
      table={of}
      formula={where}
      zone={frame.workspace.zone}
      onchange={(now) => onchange({ table, where: now, records })}
    />
  </div>
{/if}

<style>
  .asking .wide {
    flex: 1;
    grid-template-columns: 1fr;
    min-width: 200px;
  }
  .wide input {
    width: 100%;
    font: 12px/1.6 var(--mono);
  }
  button {
    color: var(--woad);
    text-decoration: underline;
  }
  .problem {
    margin-bottom: 10px;
    color: var(--madder);
    font-size: 13px;
  }
  .conditions {
    margin-bottom: 12px;
  }
</style>
