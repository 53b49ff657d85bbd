<script lang="ts">
  import { untrack } from 'svelte';
  import type { Model, Table } from '$core/types/model';
  import { readConditions, writeConditions, type ConditionGroup } from '$core/query/conditions';
  import { habit } from '../values/habit';
  import ConditionRows from './ConditionRows.svelte';

  /** A condition by choosing: reads a formula, and writes the same formula; what it cannot show stays text. */
  const {
    model,
    table,
    formula,
    zone,
    onchange,
  }: { model: Model; table: Table; formula: string; zone: string; onchange: (formula: string) => void } = $props();

  let group = $state.raw<ConditionGroup | null>(null);
  let written = '';
  // What is written elsewhere is read anew; what was written here is known.
  $effect(() => {
    const now = formula;
    if (now !== written || untrack(() => group) === null) [group, written] = [readConditions(model, table, now), now];
  });
  const made = $derived(group && writeConditions(model, table, group, { ...habit(), zone }));

  function change(next: ConditionGroup) {
    group = next;
    const now = writeConditions(model, table, next, { ...habit(), zone });
    if (!now.ok || now.value === written) return;
    written = now.value;
    onchange(now.value);
  }
</script>

{#if group}
  <ConditionRows {model} {table} {group} onchange={change} />
  {#if made && !made.ok}<p class="open" aria-live="polite">{made.problem.message} {made.problem.fix ?? ''}</p>{/if}
{:else}
  <p class="open">
    This formula says more than can be chosen here. Change it as text, or begin anew: <button
      type="button"
      onclick={() => change({ join: 'and', parts: [] })}>no conditions</button
    >
  </p>
{/if}

<style>
  .open {
    margin-top: 4px;
    color: var(--ink-faint);
    font-size: 13px;
  }
  button {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
