<script lang="ts">
  import { tableNamed } from '$core/model/model';
  import { resultLabel } from '$core/routines/scope';
  import Filling from '../Filling.svelte';
  import ResultName from '../ResultName.svelte';
  import type { StepFormProps } from '../step';
  import TableChoice from '../TableChoice.svelte';

  /** A record of any table is made. */
  const { model, scope, step, onchange }: StepFormProps = $props();
  const table = $derived(tableNamed(model, String(step.table ?? '')));
</script>

<div class="asking">
  <TableChoice
    label="in the table"
    {model}
    value={String(step.table ?? '')}
    onchange={(key) => onchange({ ...step, table: key, fields: [] })}
  />
  {#if table}<ResultName
      value={String(step.result ?? '')}
      standard={resultLabel('make', table)}
      onchange={(result) => onchange({ ...step, result })}
    />{/if}
</div>
{#if table}
  <Filling
    label="Fields of the new record"
    {scope}
    owner={table}
    fields={(step.fields ?? []) as readonly (typeof step)[]}
    onchange={(fields) => onchange({ ...step, fields })}
  />
{/if}
