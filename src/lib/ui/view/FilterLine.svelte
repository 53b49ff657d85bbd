<script lang="ts">
  import { checkCondition } from '$core/formula/checker';
  import type { Model, Table } from '$core/types/model';
  import ConditionBuilder from '../formula/ConditionBuilder.svelte';
  import { useFrame } from '../frame/context';

  /** Filter in words above the grid: written in the formula language and checked as it is typed, or chosen. */
  const {
    model,
    table,
    filter,
    onfilter,
  }: { model: Model; table: Table; filter: string; onfilter: (filter: string) => void } = $props();
  const frame = useFrame();
  let choosing = $state(false);
  let typed = $derived(filter);
  const problem = $derived(typed.trim() === '' ? null : (checkCondition(model, table.id, typed).problems[0] ?? null));
</script>

<svelte:window
  onkeydown={(event) => {
    if (event.altKey && event.key.toLowerCase() === 'f') ((choosing = !choosing), event.preventDefault());
  }}
/>
<div class="line">
  <label for="filter">filter</label>
  <input
    id="filter"
    bind:value={typed}
    spellcheck="false"
    autocomplete="off"
    placeholder="such as {table.fields.find(({ type }) => type.kind === 'option')
      ? `${table.fields.find(({ type }) => type.kind === 'option')?.key} = '…'`
      : `${table.fields[0]?.key ?? 'name'} is not null`}"
    aria-invalid={problem !== null}
    aria-describedby="filter-problem"
    onkeydown={(event) => {
      if (event.key === 'Enter' && !problem) onfilter(typed.trim());
      if (event.key === 'Escape') typed = filter;
    }}
  />
  <button
    type="button"
    aria-expanded={choosing}
    aria-controls="filter-chosen"
    title="Alt+F"
    onclick={() => (choosing = !choosing)}>choose</button
  >
  {#if filter}<button onclick={() => onfilter('')}>show all</button>{/if}
  <span id="filter-problem" class="problem" aria-live="polite"
    >{problem ? `${problem.message} ${problem.fix ?? ''}` : typed.trim() !== filter ? 'Enter to apply' : ''}</span
  >
</div>
{#if choosing}
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div
    id="filter-chosen"
    class="chosen"
    onkeydown={(event) => {
      if (event.key !== 'Escape') return;
      choosing = false;
      event.stopPropagation();
    }}
  >
    <ConditionBuilder {model} {table} formula={filter} zone={frame.workspace.zone} onchange={onfilter} />
  </div>
{/if}

<style>
  .chosen {
    flex: 0 0 100%;
    padding: 8px 0 4px 38px;
  }
  .line {
    display: flex;
    flex: 1;
    gap: 8px;
    align-items: center;
    min-width: 0;
  }
  label {
    color: var(--ink-faint);
    font-size: 12px;
  }
  input {
    flex: 0 1 420px;
    min-width: 120px;
    padding: 2px 8px;
    font: 12px/1.6 var(--mono);
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  input[aria-invalid='true'] {
    border-color: var(--madder);
  }
  .problem {
    flex: 1;
    overflow: hidden;
    color: var(--ink-soft);
    font-size: 12px;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  button {
    color: var(--woad);
    text-decoration: underline;
    white-space: nowrap;
  }
</style>
