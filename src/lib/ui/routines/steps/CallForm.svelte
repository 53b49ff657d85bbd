<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import type { StepFormProps } from '../step';
  import TemplateText from '../TemplateText.svelte';
  import ValueChoice from '../ValueChoice.svelte';

  /** Values are sent to a web address as JSON. */
  const { scope, step, onchange }: StepFormProps = $props();
  const values = $derived(Object.entries((step.values ?? {}) as Record<string, string>));
  const put = (entries: readonly (readonly [string, string])[]) =>
    onchange({ ...step, values: Object.fromEntries(entries) });
  let name = $state('');
  function add() {
    if (name.trim() === '' || values.some(([one]) => one === name.trim())) return;
    put([...values, [name.trim(), '']]);
    name = '';
  }
</script>

<div class="line">
  <span>address</span>
  <TemplateText
    label="Web address"
    {scope}
    placeholder="https://…"
    text={String(step.address ?? '')}
    onchange={(address) => onchange({ ...step, address })}
  />
</div>
<p class="part">with these values, as JSON</p>
{#each values as [one, formula], at (one)}
  <div class="line">
    <code>{one}</code>
    <ValueChoice label={one} {scope} {formula} onchange={(next) => put(values.with(at, [one, next]))} />
    <button type="button" aria-label="Take {one} out" onclick={() => put(values.toSpliced(at, 1))}
      ><X size={14} /></button
    >
  </div>
{/each}
<div class="line">
  <input
    class="in-line"
    placeholder="name of a value"
    aria-label="Name of another value"
    bind:value={name}
    onkeydown={(event) => event.key === 'Enter' && add()}
  />
  <button type="button" class="add" onclick={add}>+ value</button>
</div>

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: baseline;
    margin-bottom: 6px;
  }
  .line > span,
  code {
    min-width: 80px;
    color: var(--ink-soft);
  }
  .part {
    margin: 8px 0 4px;
    color: var(--ink-soft);
  }
  .add {
    color: var(--woad);
  }
  button {
    color: var(--ink-faint);
  }
</style>
