<script lang="ts">
  import type { Model, Table } from '$core/types/model';
  import { checkCondition } from '$core/formula/checker';
  import ConditionBuilder from '../../formula/ConditionBuilder.svelte';

  /** A condition in a form of settings: chosen row by row, or written. */
  const {
    model,
    table,
    formula,
    zone,
    label,
    onchange,
  }: { model: Model; table: Table; formula: string; zone: string; label: string; onchange: (formula: string) => void } =
    $props();
  let writing = $state(false);
  let typed = $derived(formula);
  const problem = $derived(typed.trim() === '' ? null : (checkCondition(model, table.id, typed).problems[0] ?? null));
</script>

<div class="condition" role="group" aria-label={label}>
  {#if writing}
    <textarea
      rows="3"
      spellcheck="false"
      aria-label="{label}, written"
      aria-invalid={problem !== null}
      bind:value={typed}
      onchange={() => !problem && onchange(typed.trim())}
    ></textarea>
    {#if problem}<p class="problem" role="status">{problem.message} {problem.fix ?? ''}</p>{/if}
  {:else}
    <ConditionBuilder {model} {table} {formula} {zone} {onchange} />
  {/if}
  <button type="button" onclick={() => (writing = !writing)}
    >{writing ? 'choose it instead' : 'write it instead'}</button
  >
</div>

<style>
  textarea {
    width: 100%;
    padding: 4px 8px;
    font: 12px/1.5 var(--mono);
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  textarea[aria-invalid='true'] {
    border-color: var(--madder);
  }
  .problem {
    color: var(--madder);
    font-size: 13px;
  }
  button {
    min-height: 24px;
    color: var(--woad);
    font-size: 12px;
    text-decoration: underline;
  }
</style>
