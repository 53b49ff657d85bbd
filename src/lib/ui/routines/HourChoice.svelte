<script lang="ts">
  /** An hour of the day, in the workspace's zone. */
  const { value, zone, onchange }: { value: number; zone: string; onchange: (hour: number) => void } = $props();
  const hours = Array.from({ length: 24 }, (_, hour) => hour);
</script>

<label
  >at
  <select
    class="in-line"
    value={String(value)}
    title="Time of {zone}"
    onchange={(event) => onchange(Number(event.currentTarget.value))}
  >
    {#each hours as hour (hour)}<option value={String(hour)}>{hour}:00</option>{/each}
  </select></label
>
