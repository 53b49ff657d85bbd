<script lang="ts">
  import { fieldNamed, isShown, linkedTable } from '$core/model/model';
  import { scopeWithin } from '$core/routines/scope';
  import ResultName from '../ResultName.svelte';
  import type { StepFormProps } from '../step';

  /** Steps are done for every record that a link leads to, or that links here. */
  const { model, scope, step, place, design, Steps, onchange }: StepFormProps = $props();
  const ways = $derived(scope.table.fields.filter((field) => isShown(field) && linkedTable(model, field) !== null));
  const over = $derived(fieldNamed(scope.table, String(step.over ?? '')));
  const to = $derived(over && linkedTable(model, over)?.table);
</script>

<div class="asking">
  <label
    >of
    <select
      class="in-line"
      value={step.over ?? ''}
      onchange={(event) => onchange({ ...step, over: event.currentTarget.value, steps: [] })}
    >
      <option value="" disabled>choose a link</option>
      {#each ways as { key, label } (key)}<option value={key}>{label}</option>{/each}
    </select></label
  >
  {#if to}<ResultName
      value={String(step.result ?? '')}
      standard={scope.table.label}
      onchange={(result) => onchange({ ...step, result })}
    />{/if}
</div>
{#if to}
  <Steps
    {model}
    {design}
    scope={scopeWithin(model, scope, to.id, { id: `draft ${place}`, label: String(step.result || scope.table.label) })}
    steps={(step.steps ?? []) as readonly (typeof step)[]}
    place="{place}/steps"
    onchange={(steps) => onchange({ ...step, steps })}
  />
{/if}
