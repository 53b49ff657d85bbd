<script lang="ts">
  import { fieldNamed, isFed, tableOf } from '$core/model/model';
  import Filling from '../Filling.svelte';
  import type { StepFormProps } from '../step';

  /** Fields of the record, or of one that a link leads to, get other values. */
  const { model, scope, step, onchange }: StepFormProps = $props();
  const records = $derived(scope.table.fields.filter((field) => field.type.kind === 'link' && !isFed(field)));
  const link = $derived(step.of === undefined ? undefined : fieldNamed(scope.table, String(step.of)));
  const owner = $derived(tableOf(model, link?.type.kind === 'link' ? link.type.to : scope.table.id));
</script>

<div class="asking">
  <label
    >of
    <select
      class="in-line"
      value={step.of ?? ''}
      onchange={(event) => {
        const of = event.currentTarget.value;
        onchange({ do: 'set', ...(of === '' ? {} : { of }), fields: [] });
      }}
    >
      <option value="">this record ({scope.table.label})</option>
      {#each records as { key, label, type } (key)}
        <option value={key}>{label}{type.kind === 'link' ? ` (${tableOf(model, type.to).label})` : ''}</option>
      {/each}
    </select></label
  >
</div>
<Filling
  label="Fields to set"
  {scope}
  {owner}
  fields={(step.fields ?? []) as readonly (typeof step)[]}
  onchange={(fields) => onchange({ ...step, fields })}
/>
