<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import type { Written } from '$core/filled/written';
  import TableChoice from '../TableChoice.svelte';
  import type { TriggerFormProps } from '../trigger';

  /** What the button asks for before it does anything. */
  const { model, when, onchange }: TriggerFormProps = $props();
  const inputs = $derived((when.inputs ?? []) as readonly Written[]);
  const put = (next: readonly Written[]) => onchange({ ...when, inputs: next });
  const types = [
    ['text', 'Text'],
    ['number', 'Number'],
    ['date', 'Day'],
    ['yesNo', 'Yes or no'],
    ['link', 'Record'],
  ] as const;
</script>

<p class="soft">A button beside each record and above a selection. What it asks for can be used in the steps.</p>
{#each inputs as one, at (at)}
  <div class="asking">
    <label
      >asks for
      <input
        class="in-line"
        value={one.label ?? ''}
        maxlength="120"
        placeholder="for example Reason"
        oninput={(event) => put(inputs.with(at, { ...one, label: event.currentTarget.value }))}
      /></label
    >
    <label
      >as
      <select
        class="in-line"
        value={one.type}
        onchange={(event) =>
          put(inputs.with(at, { label: one.label, type: event.currentTarget.value, required: one.required === true }))}
      >
        {#each types as [kind, label] (kind)}<option value={kind}>{label}</option>{/each}
      </select></label
    >
    {#if one.type === 'link'}
      <TableChoice
        label="of"
        {model}
        value={String(one.to ?? '')}
        onchange={(to) => put(inputs.with(at, { ...one, to }))}
      />
    {/if}
    <label class="tick"
      ><input
        type="checkbox"
        checked={one.required === true}
        onchange={(event) => put(inputs.with(at, { ...one, required: event.currentTarget.checked }))}
      /> Required</label
    >
    <button type="button" aria-label="Take this question out" onclick={() => put(inputs.toSpliced(at, 1))}
      ><X size={14} /></button
    >
  </div>
{/each}
<button
  type="button"
  class="add"
  onclick={() => put([...inputs, { label: `Value ${inputs.length + 1}`, type: 'text', required: true }])}
  >+ question</button
>

<style>
  .soft {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .add {
    color: var(--woad);
  }
</style>
