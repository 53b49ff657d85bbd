<script lang="ts">
  import { tableNamed } from '$core/model/model';
  import { tableKey } from '$core/filled/written';
  import type { Field } from '$core/types/field';
  import type { StepFormProps } from '../step';
  import TableChoice from '../TableChoice.svelte';
  import { pathsOf } from '../value';
  import ValueChoice from '../ValueChoice.svelte';

  /** A word joins the list that a field is chosen from. */
  const { model, scope, step, onchange }: StepFormProps = $props();
  const isList = ({ type }: Field) => type.kind === 'option' || type.kind === 'options';
  const table = $derived(tableNamed(model, String(step.table ?? '')));
  const lists = $derived((table?.fields ?? []).filter(isList));
  const isText = $derived(pathsOf(scope, 'text'));
</script>

<div class="asking">
  <label
    >add
    <ValueChoice
      label="Word"
      {scope}
      formula={String(step.word ?? '')}
      only={isText}
      onchange={(word) => onchange({ ...step, word })}
    /></label
  >
  <TableChoice
    label="to a list in"
    {model}
    fit={({ fields }) => fields.some(isList)}
    value={table ? tableKey(table) : ''}
    onchange={(key) => onchange({ ...step, table: key, field: tableNamed(model, key)?.fields.find(isList)?.key ?? '' })}
  />
  {#if table}
    <label
      >the options of
      <select
        class="in-line"
        value={step.field}
        onchange={(event) => onchange({ ...step, field: event.currentTarget.value })}
      >
        {#each lists as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </select></label
    >
  {/if}
</div>
