<script lang="ts">
  import { weekdays } from '$core/routines/triggers';
  import { useFrame } from '../../frame/context';
  import HourChoice from '../HourChoice.svelte';
  import type { TriggerFormProps } from '../trigger';

  /** On which days, and at which hour. */
  const { when, onchange }: TriggerFormProps = $props();
  const { workspace } = useFrame();
  const days = Array.from({ length: 31 }, (_, day) => day + 1);
</script>

<div class="asking">
  <label
    >every
    <select
      class="in-line"
      value={when.every ?? 'day'}
      onchange={(event) => onchange({ ...when, every: event.currentTarget.value, day: 1 })}
    >
      <option value="day">day</option><option value="week">week</option><option value="month">month</option>
    </select></label
  >
  {#if when.every === 'week'}
    <label
      >on
      <select
        class="in-line"
        value={String(when.day ?? 1)}
        onchange={(event) => onchange({ ...when, day: Number(event.currentTarget.value) })}
      >
        {#each weekdays as day, at (day)}<option value={String(at + 1)}>{day}</option>{/each}
      </select></label
    >
  {:else if when.every === 'month'}
    <label
      >on day
      <select
        class="in-line"
        value={String(when.day ?? 1)}
        onchange={(event) => onchange({ ...when, day: Number(event.currentTarget.value) })}
      >
        {#each days as day (day)}<option value={String(day)}>{day}</option>{/each}
      </select></label
    >
  {/if}
  <HourChoice value={Number(when.hour ?? 7)} zone={workspace.zone} onchange={(hour) => onchange({ ...when, hour })} />
</div>
