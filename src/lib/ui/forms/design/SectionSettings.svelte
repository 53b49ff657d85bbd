<script lang="ts">
  import { Input, Label, Textarea } from 'flowbite-svelte';
  import type { FormSectionJson } from '$core/forms/formJson';
  import type { Model, Table } from '$core/types/model';
  import Button from '../../controls/Button.svelte';
  import ConditionField from './ConditionField.svelte';

  /** The words, columns and condition of one section, and its place. */
  const {
    section,
    asked,
    zone,
    onset,
    onmove,
    onadd,
    onremove,
  }: {
    section: FormSectionJson;
    asked: { model: Model; table: Table };
    zone: string;
    onset: (set: Partial<FormSectionJson>) => void;
    onmove: (by: -1 | 1) => void;
    onadd: () => void;
    onremove: () => void;
  } = $props();
  const uid = $props.id();
  const text = (event: Event) => (event.currentTarget as HTMLInputElement).value;
</script>

<Label for="{uid}-label">Heading</Label>
<Input
  id="{uid}-label"
  class="mt-1 py-1.5"
  value={section.label}
  placeholder="none"
  oninput={(event) => onset({ label: text(event) })}
/>
<Label class="mt-3" for="{uid}-about">Under the heading</Label>
<Textarea
  id="{uid}-about"
  class="mt-1 w-full"
  rows={2}
  value={section.about}
  oninput={(event) => onset({ about: text(event) })}
/>
<h3>Columns</h3>
<div class="ticks">
  {#each [1, 2] as const as columns (columns)}
    <label
      ><input
        type="radio"
        name="{uid}-columns"
        checked={section.columns === columns}
        onchange={() => onset({ columns })}
      />
      {columns === 1 ? 'one' : 'two, where there is room'}</label
    >
  {/each}
</div>
<h3>Shown only if</h3>
{#if asked.table.fields.length > 0}
  <ConditionField
    model={asked.model}
    table={asked.table}
    formula={section.shownIf}
    {zone}
    label="Shown only if"
    onchange={(shownIf) => onset({ shownIf })}
  />
{:else}<p>Nothing is filled in above it that this could depend on.</p>{/if}
<div class="steps">
  <Button onclick={() => onmove(-1)}>Up</Button>
  <Button onclick={() => onmove(1)}>Down</Button>
  <Button onclick={onadd}>New section behind it</Button>
  <Button kind="danger" onclick={onremove}>Take it off with its fields</Button>
</div>

<style>
  h3 {
    margin: 18px 0 5px;
    font-size: 13px;
  }
  p {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .ticks {
    display: flex;
    gap: 18px;
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 22px;
  }
</style>
