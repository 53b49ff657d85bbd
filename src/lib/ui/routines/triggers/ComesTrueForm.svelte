<script lang="ts">
  import ConditionField from '../../forms/design/ConditionField.svelte';
  import { useFrame } from '../../frame/context';
  import type { TriggerFormProps } from '../trigger';

  /** What did not hold for a record before, and holds now. */
  const { model, table, when, onchange }: TriggerFormProps = $props();
  const { workspace } = useFrame();
</script>

<ConditionField
  {model}
  {table}
  formula={String(when.condition ?? '')}
  zone={workspace.zone}
  label="What comes true"
  onchange={(condition) => onchange({ ...when, condition })}
/>
