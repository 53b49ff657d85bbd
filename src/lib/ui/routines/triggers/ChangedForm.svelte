<script lang="ts">
  import { isShown } from '$core/model/model';
  import FieldTicks from '../../transfer/FieldTicks.svelte';
  import type { TriggerFormProps } from '../trigger';

  /** The fields that are watched. */
  const { table, when, onchange }: TriggerFormProps = $props();
  const fields = $derived(table.fields.filter((field) => isShown(field) && field.type.kind !== 'counterpart'));
</script>

<FieldTicks
  legend="when any of these has another value, typed or calculated"
  {fields}
  chosen={(when.fields ?? []) as readonly string[]}
  onchange={(chosen) => onchange({ ...when, fields: chosen })}
/>
