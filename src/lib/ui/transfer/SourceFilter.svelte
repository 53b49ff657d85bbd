<script lang="ts">
  import { checkCondition } from '$core/formula/checker';
  import type { Model, Table } from '$core/types/model';
  import ConditionBuilder from '../formula/ConditionBuilder.svelte';
  import { useFrame } from '../frame/context';

  /** Which records of a source come into a feed: all, or those that meet a condition. */
  const {
    model,
    table,
    called,
    where,
    onchange,
  }: {
    model: Model;
    /** Undefined where it is another workspace's, of which the page knows nothing. */
    table: Table | undefined;
    called: string;
    where: string;
    onchange: (where: string) => void;
  } = $props();
  const frame = useFrame();
  let choosing = $state(false);
  const problem = $derived(
    table && where.trim() !== '' ? (checkCondition(model, table.id, where).problems[0] ?? null) : null,
  );
</script>

<div class="filter">
  <label
    >only records for which
    <input
      class="in-line"
      value={where}
      spellcheck="false"
      autocomplete="off"
      placeholder="all records"
      aria-label="Only records of {called} for which"
      aria-invalid={problem !== null}
      oninput={(event) => onchange(event.currentTarget.value)}
    /></label
  >
  {#if table}
    <button type="button" aria-expanded={choosing} onclick={() => (choosing = !choosing)}>choose</button>
  {/if}
</div>
{#if problem}<p class="problem">{problem.message} {problem.fix ?? ''}</p>{/if}
{#if choosing && table}
  <ConditionBuilder {model} {table} formula={where} zone={frame.workspace.zone} {onchange} />
{/if}

<style>
  .filter {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 12px;
    align-items: baseline;
  }
  label {
    display: flex;
    flex: 1;
    flex-wrap: wrap;
    gap: 2px 8px;
    align-items: baseline;
    color: var(--ink-soft);
    font-size: 13px;
    white-space: nowrap;
  }
  input {
    flex: 1;
    min-width: 140px;
    font: 12px/1.8 var(--mono);
  }
  button {
    color: var(--woad);
    text-decoration: underline;
  }
  .problem {
    color: var(--madder);
    font-size: 13px;
  }
</style>
