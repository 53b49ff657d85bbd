<script lang="ts">
  import { isShown, valueTypeOf } from '$core/model/model';
  import { useFrame } from '../../frame/context';
  import HourChoice from '../HourChoice.svelte';
  import type { TriggerFormProps } from '../trigger';

  /** How many days before or after which day. */
  const { table, when, onchange }: TriggerFormProps = $props();
  const { workspace } = useFrame();
  const days = $derived(
    table.fields.filter((field) => isShown(field) && ['date', 'timestamp'].includes(valueTypeOf(field).is)),
  );
  const count = $derived(Math.abs(Number(when.days ?? 0)));
  let side = $derived(Number(when.days ?? 0) < 0 ? 'before' : 'after');
  const set = (number: number, of: string) =>
    onchange({ ...when, days: Number.isFinite(number) ? (of === 'before' ? -number : number) : 0 });
</script>

<div class="asking">
  <label
    >Days
    <input
      class="in-line short"
      type="number"
      min="0"
      max="3660"
      value={count}
      onchange={(event) => set(Math.abs(Math.trunc(event.currentTarget.valueAsNumber)), side)}
    /></label
  >
  <label
    >before or after
    <select
      class="in-line"
      value={side}
      onchange={(event) => {
        side = event.currentTarget.value;
        set(count, side);
      }}
    >
      <option value="before">before</option><option value="after">after</option>
    </select></label
  >
  <label
    >Day
    <select
      class="in-line"
      value={when.field ?? ''}
      onchange={(event) => onchange({ ...when, field: event.currentTarget.value })}
    >
      <option value="" disabled>choose a field</option>
      {#each days as { key, label } (key)}<option value={key}>{label}</option>{/each}
    </select></label
  >
  <HourChoice value={Number(when.hour ?? 7)} zone={workspace.zone} onchange={(hour) => onchange({ ...when, hour })} />
</div>

<style>
  .short {
    width: 80px;
  }
</style>
