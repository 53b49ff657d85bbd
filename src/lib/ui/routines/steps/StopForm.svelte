<script lang="ts">
  import ConditionField from '../../forms/design/ConditionField.svelte';
  import { useFrame } from '../../frame/context';
  import type { StepFormProps } from '../step';

  /** Nothing more is done for records that meet a condition. */
  const { scope, step, onchange }: StepFormProps = $props();
  const { workspace } = useFrame();
</script>

<ConditionField
  model={scope.model}
  table={scope.table}
  formula={String(step.when ?? '')}
  zone={workspace.zone}
  label="Stop when"
  onchange={(when) => onchange({ ...step, when })}
/>
