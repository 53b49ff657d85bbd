<script lang="ts">
  import { isFed, tableNamed } from '$core/model/model';
  import { resultLabel } from '$core/routines/scope';
  import Filling from '../Filling.svelte';
  import ResultName from '../ResultName.svelte';
  import type { StepFormProps } from '../step';
  import TableChoice from '../TableChoice.svelte';

  /** A record is found by what it has, made where there is none, and linked. */
  const { model, scope, step, onchange }: StepFormProps = $props();
  const table = $derived(tableNamed(model, String(step.table ?? '')));
  const links = $derived(
    scope.table.fields.filter(
      (field) =>
        field.type.kind === 'link' &&
        field.type.to === table?.id &&
        !isFed(field) &&
        !scope.given.some(({ id }) => id === field.id),
    ),
  );
  type Fields = readonly (typeof step)[];
</script>

<div class="asking">
  <TableChoice
    label="in the table"
    {model}
    value={String(step.table ?? '')}
    onchange={(key) => onchange({ do: 'find', table: key, by: [], make: step.make ?? true, fields: [] })}
  />
  {#if table}<ResultName
      value={String(step.result ?? '')}
      standard={resultLabel('find', table)}
      onchange={(result) => onchange({ ...step, result })}
    />{/if}
</div>
{#if table}
  <p class="part">the first record where</p>
  <Filling
    label="What is looked for"
    {scope}
    owner={table}
    join="is"
    blank={false}
    fields={(step.by ?? []) as Fields}
    onchange={(by) => onchange({ ...step, by })}
  />
  <p class="part">
    <label
      ><input
        type="checkbox"
        checked={step.make === true}
        onchange={(event) => onchange({ ...step, make: event.currentTarget.checked })}
      /> make it when there is none</label
    >{#if step.make === true}<span>, with these fields as well</span>{/if}
  </p>
  {#if step.make === true}
    <Filling
      label="More fields of a new one"
      {scope}
      owner={table}
      fields={(step.fields ?? []) as Fields}
      onchange={(fields) => onchange({ ...step, fields })}
    />
  {/if}
  {#if links.length > 0}
    <div class="asking">
      <label
        >and point this link at it
        <select
          class="in-line"
          value={step.link ?? ''}
          onchange={(event) => {
            const { link: _, ...rest } = step;
            const link = event.currentTarget.value;
            onchange(link === '' ? rest : { ...rest, link });
          }}
        >
          <option value="">none</option>
          {#each links as { key, label } (key)}<option value={key}>{label}</option>{/each}
        </select></label
      >
    </div>
  {/if}
{/if}

<style>
  .part {
    margin: 8px 0 4px;
    color: var(--ink-soft);
  }
</style>
