<script lang="ts">
  import { say } from '$core/base/say';
  import { untrack } from 'svelte';
  import type { Model, Table } from '$core/types/model';
  import { valueTypeOf } from '$core/model/model';
  import { conditionPaths } from '$core/query/conditions';
  import { gatheredSets, gatherings, isGatherable, readRollup, writeRollup, type Rollup } from '$core/query/rollup';
  import ConditionBuilder from './ConditionBuilder.svelte';

  /**
   * A rollup by choosing: what is gathered, from which records, under which conditions. It reads a formula and writes
   * one.
   */
  const {
    model,
    table,
    formula,
    zone,
    onchange,
  }: { model: Model; table: Table; formula: string; zone: string; onchange: (formula: string) => void } = $props();
  const sets = $derived(gatheredSets(model, table));
  const blank = (): Rollup => ({
    gathers: 'count',
    set: sets[0]?.path ?? '',
    of: '',
    where: '',
    by: '',
    descending: false,
    distinct: false,
  });

  let rollup = $state.raw<Rollup | null>(null);
  let written: string | null = null;
  // What is written elsewhere is read anew; what was written here is known.
  $effect(() => {
    const now = formula;
    if (now !== written) [rollup, written] = [now.trim() === '' ? untrack(blank) : readRollup(model, table, now), now];
  });
  const far = $derived(sets.find(({ path }) => path === rollup?.set)?.table);
  const takes = $derived(gatherings.find(({ gathers }) => gathers === rollup?.gathers)?.takes ?? 'nothing');
  const fields = $derived(
    far && rollup
      ? conditionPaths(model, far).filter(({ field }) =>
          isGatherable(rollup?.gathers ?? 'count', valueTypeOf(field).is),
        )
      : [],
  );
  const orders = $derived(
    far
      ? conditionPaths(model, far).filter(
          ({ field }) => !['record', 'records', 'files', 'place'].includes(valueTypeOf(field).is),
        )
      : [],
  );
  const made = $derived(rollup && writeRollup(model, table, rollup));

  function change(part: Partial<Rollup>) {
    if (!rollup) return;
    let next = { ...rollup, ...part };
    // What was chosen of other records is no longer there.
    if (part.set !== undefined) next = { ...next, of: '', where: '', by: '' };
    // A field that cannot be gathered this way has to be chosen anew.
    const chosen = far && conditionPaths(model, far).find(({ path }) => path === next.of);
    if (part.gathers !== undefined && chosen && !isGatherable(next.gathers, valueTypeOf(chosen.field).is))
      next = { ...next, of: '' };
    rollup = next;
    const now = writeRollup(model, table, next);
    if (!now.ok || now.value === written) return;
    written = now.value;
    onchange(now.value);
  }
</script>

{#if sets.length === 0}
  <p class="open">Nothing links to {table.label} yet, so there are no records to gather.</p>
{:else if rollup}
  <div class="rollup">
    <label
      ><span>gather</span>
      <select
        value={rollup.gathers}
        onchange={(event) => change({ gathers: event.currentTarget.value as Rollup['gathers'] })}
      >
        {#each gatherings as { gathers, words }, index (index)}<option value={gathers}>{say(words)}</option>{/each}
      </select></label
    >
    {#if takes !== 'nothing'}
      <label
        ><span>field</span>
        <select value={rollup.of} onchange={(event) => change({ of: event.currentTarget.value })}>
          <option value="">choose …</option>
          {#each fields as { path, label }, index (index)}<option value={path}>{label}</option>{/each}
          {#if rollup.of && !fields.some(({ path }) => path === rollup?.of)}<option value={rollup.of}
              >{rollup.of}</option
            >{/if}
        </select></label
      >
    {/if}
    <label
      ><span>of</span>
      <select value={rollup.set} onchange={(event) => change({ set: event.currentTarget.value })}>
        {#each sets as { path, label } (path)}<option value={path}>{label}</option>{/each}
        {#if !sets.some(({ path }) => path === rollup?.set)}<option value={rollup.set}>{rollup.set}</option>{/if}
      </select></label
    >
    {#if takes === 'text' || rollup.gathers === 'first' || rollup.gathers === 'last'}
      <label
        ><span>in order of</span>
        <select value={rollup.by} onchange={(event) => change({ by: event.currentTarget.value })}>
          <option value="">as made</option>
          {#each orders as { path, label } (path)}<option value={path}>{label}</option>{/each}
        </select></label
      >
      {#if rollup.by}<label class="tick"
          ><input
            type="checkbox"
            checked={rollup.descending}
            onchange={(event) => change({ descending: event.currentTarget.checked })}
          /> last first</label
        >{/if}
    {/if}
    {#if takes !== 'nothing' && takes !== 'yesNo' && takes !== 'ordered'}
      <label class="tick"
        ><input
          type="checkbox"
          checked={rollup.distinct}
          onchange={(event) => change({ distinct: event.currentTarget.checked })}
        /> each value once</label
      >
    {/if}
    {#if far}<ConditionBuilder
        {model}
        table={far}
        formula={rollup.where}
        {zone}
        onchange={(where) => change({ where })}
      />{/if}
    {#if made && !made.ok}<p class="open" aria-live="polite">{made.problem.message} {made.problem.fix ?? ''}</p>{/if}
  </div>
{:else}
  <p class="open">
    This formula says more than can be chosen here. Change it as text, or begin anew: <button
      type="button"
      onclick={() => ((rollup = blank()), change({}))}>a rollup</button
    >
  </p>
{/if}

<style>
  .rollup {
    display: grid;
    gap: 6px;
    padding: 8px;
    background: var(--sunken);
    border-radius: var(--radius);
    font-size: 13px;
  }
  label {
    display: grid;
    grid-template-columns: 80px 1fr;
    align-items: center;
    color: var(--ink-soft);
  }
  .tick {
    display: block;
    padding-left: 80px;
  }
  select {
    height: 28px;
    padding: 2px 6px;
    font-size: 13px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    appearance: none;
  }
  .open {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .open button {
    color: var(--woad);
  }
</style>
