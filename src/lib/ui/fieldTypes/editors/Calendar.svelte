<script lang="ts">
  import { addMonths, dateOfDayNumber, dayNumber, daysInMonth } from '$core/fieldTypes/date';

  /** A month to choose a day from; arrow keys walk through days and weeks, Page up and down through months. */
  const { day, today, onpick }: { day: string | null; today: string; onpick: (day: string) => void } = $props();
  // svelte-ignore state_referenced_locally
  let at = $state(day ?? today);
  const first = $derived(`${at.slice(0, 8)}01`);
  const offset = $derived((((dayNumber(first) + 3) % 7) + 7) % 7);
  const days = $derived(
    Array.from(
      { length: daysInMonth(Number(at.slice(0, 4)), Number(at.slice(5, 7))) },
      (_, index) => `${at.slice(0, 8)}${String(index + 1).padStart(2, '0')}`,
    ),
  );
  const name = $derived(
    new Date(`${first}T00:00:00Z`).toLocaleDateString(undefined, { month: 'long', year: 'numeric', timeZone: 'UTC' }),
  );
  const weekdays = Array.from({ length: 7 }, (_, index) =>
    new Date(Date.UTC(2024, 0, 1 + index)).toLocaleDateString(undefined, { weekday: 'narrow', timeZone: 'UTC' }),
  );

  /** Moves the marked day; used by the input that has the focus. */
  export function walk(key: string): string | null {
    const days: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 };
    const by = days[key];
    const moved =
      by !== undefined
        ? dateOfDayNumber(dayNumber(at) + by)
        : key === 'PageUp'
          ? addMonths(at, -1)
          : key === 'PageDown'
            ? addMonths(at, 1)
            : null;
    if (moved) at = moved;
    return moved;
  }
</script>

<!-- Pointer down, not click: the input beside it keeps the focus. -->
<div class="calendar" role="group" aria-label={name} onpointerdown={(event) => event.preventDefault()}>
  <div class="month">
    <button type="button" tabindex="-1" aria-label="Month before" onclick={() => walk('PageUp')}>‹</button><strong
      >{name}</strong
    >
    <button type="button" tabindex="-1" aria-label="Month after" onclick={() => walk('PageDown')}>›</button>
  </div>
  <div class="days">
    {#each weekdays as weekday, index (index)}<span>{weekday}</span>{/each}
    {#each days as one, index (one)}
      <button
        type="button"
        tabindex="-1"
        style:grid-column-start={index === 0 ? offset + 1 : undefined}
        class:at={one === at}
        class:today={one === today}
        onclick={() => onpick(one)}
        aria-label={one}>{index + 1}</button
      >
    {/each}
  </div>
</div>

<style>
  .calendar {
    position: absolute;
    top: 100%;
    left: 0;
    z-index: 15;
    padding: 8px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  .month {
    display: flex;
    justify-content: space-between;
    align-items: center;
  }
  .month button {
    padding: 0 10px;
    font-size: 16px;
  }
  .days {
    display: grid;
    grid-template-columns: repeat(7, 28px);
    text-align: center;
  }
  .days span {
    color: var(--ink-faint);
    font-size: 11px;
  }
  .days button {
    height: 26px;
    line-height: 26px;
    border-radius: 3px;
  }
  .days button:hover,
  .at {
    background: var(--woad-tint);
  }
  .today {
    box-shadow: inset 0 -2px 0 var(--weld);
  }
</style>
