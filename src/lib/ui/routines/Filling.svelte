<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import type { Written } from '$core/filled/written';
  import { fieldNamed, isEntered, isToMany } from '$core/model/model';
  import type { Scope } from '$core/routines/scope';
  import type { Table } from '$core/types/model';
  import ValueChoice from './ValueChoice.svelte';

  /** Fields of a table, each with what it gets. */
  const {
    label,
    scope,
    owner,
    fields,
    join = 'to',
    blank = true,
    onchange,
  }: {
    label: string;
    scope: Scope;
    owner: Table;
    fields: readonly Written[];
    /** What stands between the field and its value. */
    join?: string;
    blank?: boolean;
    onchange: (fields: readonly Written[]) => void;
  } = $props();
  const choices = $derived(owner.fields.filter((field) => isEntered(field) && !isToMany(field)));
  const free = $derived(choices.filter(({ key }) => !fields.some(({ field }) => field === key)));
  const put = (at: number, one: Written) => onchange(fields.with(at, one));
  /** A text that is looked for in a link's target is made there, where nothing has it. */
  const isLink = (key: unknown) => fieldNamed(owner, String(key))?.type.kind === 'link';
</script>

<div class="filling" role="group" aria-label={label}>
  {#each fields as one, at (at)}
    {@const field = fieldNamed(owner, String(one.field)) ?? null}
    <div class="row">
      <select
        class="in-line"
        aria-label="{label}: field"
        value={one.field}
        onchange={(event) => put(at, { field: event.currentTarget.value, formula: '' })}
      >
        {#each choices.filter((choice) => choice.key === one.field || free.includes(choice)) as choice (choice.key)}
          <option value={choice.key}>{choice.label}</option>
        {/each}
      </select>
      <span class="join">{join}</span>
      <ValueChoice
        label={field?.label ?? 'Value'}
        {scope}
        {field}
        formula={String(one.formula ?? '')}
        {blank}
        onchange={(formula) => put(at, { ...one, formula })}
      />
      <button
        type="button"
        class="out"
        aria-label="Take {field?.label ?? 'the field'} out"
        onclick={() => onchange(fields.toSpliced(at, 1))}><X size={14} /></button
      >
      {#if isLink(one.field) && one.match !== undefined}
        <label class="missing"
          ><input
            type="checkbox"
            checked={one.missing === 'create'}
            onchange={(event) => put(at, { ...one, missing: event.currentTarget.checked ? 'create' : 'setAside' })}
          /> make the record where none is called so</label
        >
      {/if}
    </div>
  {/each}
  {#if free.length > 0}
    <select
      class="in-line add"
      aria-label="{label}: one more field"
      value=""
      onchange={(event) => {
        onchange([...fields, { field: event.currentTarget.value, formula: '' }]);
        event.currentTarget.value = '';
      }}
    >
      <option value="" disabled>{fields.length === 0 ? '+ field' : '+ another field'}</option>
      {#each free as { key, label: name } (key)}<option value={key}>{name}</option>{/each}
    </select>
  {/if}
</div>

<style>
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: baseline;
    margin-bottom: 6px;
  }
  .join {
    color: var(--ink-faint);
  }
  .row > select {
    flex: 0 0 150px;
  }
  .out {
    align-self: center;
    padding: 4px;
    color: var(--ink-faint);
  }
  .add {
    max-width: 170px;
    color: var(--woad);
  }
  .missing {
    flex: 1 1 100%;
    font-size: 13px;
  }
</style>
