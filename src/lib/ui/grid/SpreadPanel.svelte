<script lang="ts">
  import type { ChartKind, Measure } from '$core/types/summary';
  import type { AskedData } from '$core/summaries/data';
  import { readingIn } from '$core/summaries/reading';
  import type { Field } from '$core/types/field';
  import type { Model, Table } from '$core/types/model';
  import { call, workspacePath } from '../api';
  import { useFrame } from '../frame/context';
  import BlockChart from '../summaries/BlockChart.svelte';
  import BlockTable from '../summaries/BlockTable.svelte';
  import { endsAsked, spreadAsked, type BlockAsked } from './spread';

  /** How the values of a column are spread over the records that are shown; drawn as summaries are. */
  const {
    workspace,
    model,
    table,
    field,
    where,
  }: { workspace: string; model: Model; table: Table; field: Field; where: string } = $props();
  const { workspace: home } = useFrame();
  const reading = $derived(readingIn(home.zone));
  const count: Measure = { label: '', total: 'count', of: null, where: null };
  let shown = $state.raw<{ readonly chart: ChartKind; readonly data: AskedData } | null>(null);
  let problem = $state('');

  async function asked(blocks: readonly BlockAsked[]): Promise<(AskedData | null)[]> {
    if (blocks.length === 0) return [];
    type Answered = { items: { asked?: AskedData; problem?: { message: string } }[] };
    const path = workspacePath(workspace, '/summaries/try');
    const answer = await call<Answered>('POST', path, { summary: { label: field.label, blocks } });
    if (!answer.ok) throw new Error([answer.problem.message, answer.problem.fix].filter(Boolean).join(' '));
    return answer.value.items.map((one) => {
      if (one.problem) throw new Error(one.problem.message);
      return one.asked ?? null;
    });
  }

  $effect(() => {
    const [of, over, condition] = [field, table.key, where];
    let gone = false;
    void (async () => {
      try {
        const ends = await asked(endsAsked(over, of, condition));
        const block = spreadAsked(
          model,
          over,
          of,
          condition,
          ends.map((one) => one?.whole.totals[0] ?? null),
        );
        const [data] = await asked([block]);
        if (gone || !data) return;
        [shown, problem] = [{ chart: block.chart as ChartKind, data }, ''];
      } catch (error) {
        if (!gone) problem = error instanceof Error ? error.message : String(error);
      }
    })();
    return () => void (gone = true);
  });
</script>

{#if problem}<p class="problem" role="status">{problem}</p>
{:else if !shown}<p>Reading …</p>
{:else}
  <p>{where ? 'Of the records that the filter shows.' : `Of all records of ${table.label}.`}</p>
  <div class="chart">
    <BlockChart
      block={{ chart: shown.chart, limit: null, measures: [count], groups: [] }}
      data={shown.data}
      {reading}
      title="How {field.label} is spread"
    />
  </div>
  <BlockTable data={shown.data} {reading} title="How {field.label} is spread" />
{/if}

<style>
  .chart {
    display: flex;
    flex-direction: column;
    height: 220px;
  }
  p {
    color: var(--ink-soft);
  }
  .problem {
    color: var(--madder);
  }
</style>
