<script lang="ts">
  import { checkCondition } from '$core/formula/checker';
  import type { Model, Table } from '$core/types/model';
  import ConditionBuilder from '../formula/ConditionBuilder.svelte';
  import { useFrame } from '../frame/context';

  /** Which records a role reaches: written, or chosen row by row. */
  const {
    model,
    table,
    called,
    formula,
    still,
    onchange,
  }: {
    model: Model;
    table: Table;
    called: string;
    formula: string;
    still: boolean;
    onchange: (formula: string) => void;
  } = $props();
  const { workspace } = useFrame();
  let choosing = $state(false);
  const problem = $derived(
    formula.trim() === '' ? null : (checkCondition(model, table.id, formula).problems[0] ?? null),
  );
  const own = $derived(table.fields.find(({ type }) => type.kind === 'member')?.key);
</script>

<div class="reach">
  <label
    >{called}
    <input
      value={formula}
      disabled={still}
      spellcheck="false"
      autocomplete="off"
      placeholder="such as {own ?? 'created_by'} = person()"
      aria-invalid={problem !== null}
      oninput={(event) => onchange(event.currentTarget.value)}
    /></label
  >
  {#if !still}<button type="button" aria-expanded={choosing} onclick={() => (choosing = !choosing)}>choose</button>{/if}
  {#if problem}<span class="problem">{problem.message} {problem.fix ?? ''}</span>{/if}
  {#if choosing}<div class="chosen">
      <ConditionBuilder {model} {table} {formula} zone={workspace.zone} {onchange} />
    </div>{/if}
</div>

<style>
  .reach {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 10px;
    align-items: center;
    margin-bottom: 10px;
  }
  label {
    display: flex;
    flex: 1 1 420px;
    gap: 8px;
    align-items: center;
    max-width: 760px;
    white-space: nowrap;
  }
  input {
    flex: 1;
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
  button {
    color: var(--woad);
    text-decoration: underline;
  }
  .problem {
    color: var(--madder);
    font-size: 12px;
  }
  .chosen {
    flex: 0 0 100%;
  }
</style>
