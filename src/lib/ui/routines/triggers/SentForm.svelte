<script lang="ts">
  import { formsOf } from '$core/forms/form';
  import type { TriggerFormProps } from '../trigger';

  /** Which form it is. */
  const { table, when, onchange }: TriggerFormProps = $props();
</script>

<div class="asking">
  <label
    >Form
    <select
      class="in-line"
      value={when.form ?? ''}
      onchange={(event) => {
        const form = event.currentTarget.value;
        onchange({ on: 'sent', ...(form === '' ? {} : { form }) });
      }}
    >
      <option value="">any form of {table.label}</option>
      {#each formsOf(table) as { id, label } (id)}<option value={label}>{label}</option>{/each}
    </select></label
  >
</div>
