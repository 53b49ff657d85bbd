<script lang="ts">
  import { orderPaths, pathKey, pathLabel } from '$core/query/query';
  import { againstWords, periodWords } from '$core/summaries/periods';
  import { spans, type Period, type Span } from '$core/types/summary';
  import { valueTypeOf } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Written } from '$core/filled/written';

  /** Which days go in, moving on with the calendar, and what they are held against. */
  const {
    model,
    table,
    period,
    onchange,
  }: { model: Model; table: Table; period: Written | null; onchange: (period: Written | null) => void } = $props();
  const days = $derived(
    orderPaths(model, table)
      .flatMap(({ paths }) => paths)
      .filter(({ field }) => ['date', 'timestamp'].includes(valueTypeOf(field).is) && !field.unlisted),
  );
  const own = $derived(days.find(({ field }) => !['createdAt', 'changedAt'].includes(field.type.kind)) ?? days[0]);
  /** The stretches people ask for most. */
  const offered: readonly (readonly [span: Span, count: number, back: number])[] = [
    ...spans.map((span) => [span, 1, 0] as const),
    ...spans.slice(1).map((span) => [span, 1, 1] as const),
    ['day', 7, 0],
    ['day', 30, 0],
    ['day', 90, 0],
    ['month', 12, 0],
    ['year', 3, 0],
  ];
  const nameOf = (span: unknown, count: unknown, back: unknown) => `${String(span)}:${String(count)}:${String(back)}`;
  const now = $derived(period ? nameOf(period.span, period.count ?? 1, period.back ?? 0) : '');
  const isOffered = $derived(offered.some(([span, count, back]) => nameOf(span, count, back) === now));
  const words = (span: Span, count: number, back: number) => periodWords({ span, count, back });
  const asPeriod = $derived(period as unknown as Period | null);

  /** The year before is what stands right before. */
  const isOneYear = $derived(asPeriod?.span === 'year' && (asPeriod.count ?? 1) === 1);

  function chosen(name: string) {
    if (name === '') return onchange(null);
    const [span, count, back] = name.split(':');
    if (!own) return;
    onchange({
      field: pathKey(own),
      against: null,
      ...period,
      span,
      count: Number(count),
      back: Number(back),
    });
  }
</script>

{#if days.length === 0}
  <p class="soft">{table.label} has no date.</p>
{:else}
  <div class="line">
    <select class="in-line" aria-label="Period" value={now} onchange={(event) => chosen(event.currentTarget.value)}>
      <option value="">all days</option>
      {#each offered as [span, count, back] (nameOf(span, count, back))}<option value={nameOf(span, count, back)}
          >{words(span, count, back)}</option
        >{/each}
      {#if asPeriod && !isOffered}<option value={now}
          >{words(asPeriod.span, asPeriod.count ?? 1, asPeriod.back ?? 0)}</option
        >{/if}
    </select>
    {#if period}
      <select
        class="in-line"
        aria-label="Period: by"
        value={String(period.field)}
        onchange={(event) => onchange({ ...period, field: event.currentTarget.value })}
      >
        {#each days as path (pathKey(path))}<option value={pathKey(path)}>by {pathLabel(path)}</option>{/each}
      </select>
    {/if}
  </div>
  {#if asPeriod}
    <label class="line against"
      >Compared with
      <select
        class="in-line"
        aria-label="Compared with"
        value={asPeriod.against && isOneYear ? 'before' : (asPeriod.against ?? '')}
        onchange={(event) => onchange({ ...period, against: event.currentTarget.value || null })}
      >
        <option value="">nothing</option>
        <option value="before">{againstWords({ ...asPeriod, back: asPeriod.back ?? 0, against: 'before' })}</option>
        {#if !isOneYear}<option value="yearBefore">a year before</option>{/if}
      </select></label
    >
  {/if}
{/if}

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 6px;
    align-items: center;
  }
  .line select {
    min-width: 0;
    max-width: 100%;
  }
  .against {
    margin-top: 4px;
  }
  .soft {
    color: var(--ink-soft);
  }
</style>
