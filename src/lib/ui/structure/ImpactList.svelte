<script lang="ts">
  import { comesFrom, goesTo, type ImpactStep } from '$core/parts/impact';
  import type { Model } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import FieldWay from './field/FieldWay.svelte';

  /** What a field comes from and what comes from it, over all steps; each can be gone to. */
  const { workspace, model, field }: { workspace: string; model: Model; field: Field } = $props();
  const from = $derived(comesFrom(model, field.id));
  const to = $derived(goesTo(model, field.id));
  const most = 12;
  let all = $state(false);
</script>

{#snippet list(title: string, steps: readonly ImpactStep[])}
  {#if steps.length > 0}
    <p class="title">{title}</p>
    <ul>
      {#each all ? steps : steps.slice(0, most) as step, index (index)}
        <li style:--steps={Math.min(step.steps - 1, 5)}>
          {#if step.field}<FieldWay {workspace} {model} id={step.field} words={step.words} />{:else}{step.words}{/if}
          {#if step.kind === 'formula'}<span class="soft">calculated</span>{/if}
        </li>
      {/each}
    </ul>
    {#if !all && steps.length > most}<button type="button" onclick={() => (all = true)}
        >and {steps.length - most} more</button
      >{/if}
  {/if}
{/snippet}

<div class="impact">
  {@render list('comes from', from)}
  {@render list('goes to', to)}
</div>

<style>
  .impact {
    margin-bottom: 10px;
    font-size: 13px;
  }
  .title {
    margin: 4px 0 2px;
    color: var(--ink-faint);
  }
  li {
    padding: 1px 0 1px calc(8px + var(--steps) * 12px);
    border-left: 2px solid var(--line);
  }
  .soft {
    color: var(--ink-faint);
  }
  button {
    color: var(--woad);
  }
</style>
