<script lang="ts">
  import { checkCondition } from '$core/formula/checker';
  import type { Model, Table } from '$core/model/model';

  /** Filter in words above the grid, written in the formula language and checked as it is typed. */
  const { model, table, filter, onfilter }: { model: Model; table: Table; filter: string; onfilter: (filter: string) => void } = $props();
  let typed = $derived(filter);
  const problem = $derived(typed.trim() === '' ? null : (checkCondition(model, table.id, typed).problems[0] ?? null));
</script>

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
  {#if filter}<button onclick={() => onfilter('')}>show all</button>{/if}
  <span id="filter-problem" class="problem" aria-live="polite"
    >{problem ? `${problem.message} ${problem.mend ?? ''}` : typed.trim() !== filter ? 'Enter to apply' : ''}</span
  >
</div>

<style>
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
