<script lang="ts">
  import { say } from '$core/base/say';
  import { mostMeasures } from '$core/summaries/asked';
  import { chartWords, fitsChart } from '$core/summaries/blocks';
  import { readAsked } from '$core/summaries/asked';
  import { tableKey, type Written } from '$core/filled/written';
  import { tableNamed } from '$core/model/model';
  import type { Model } from '$core/types/model';
  import { partsOf } from '$core/types/part';
  import { chartKinds, type ChartKind } from '$core/types/summary';
  import ConditionField from '../../forms/design/ConditionField.svelte';
  import OrderPanel from '../../view/OrderPanel.svelte';
  import type { BlockJson } from '../summaryPage.svelte';
  import MeasureRow from './MeasureRow.svelte';
  import PeriodRow from './PeriodRow.svelte';

  /** What a block shows, chosen step by step: of which table, what, grouped by what, when, and how. */
  const {
    block,
    model,
    zone,
    onchange,
  }: { block: BlockJson; model: Model; zone: string; onchange: (more: Written) => void } = $props();
  const table = $derived(tableNamed(model, String(block.table ?? '')));
  const measures = $derived((block.measures ?? []) as readonly Written[]);
  const groups = $derived(String(block.groups ?? ''));
  const where = $derived(String(block.where ?? ''));
  const read = $derived(readAsked(model, block, ''));
  let isNarrowed = $state(false);

  function tableChosen(key: string) {
    onchange({ table: key, where: '', groups: '', period: null, measures: [{ total: 'count' }], view: 'all' });
  }
  const changeMeasure = (at: number, measure: Written) =>
    onchange({ measures: measures.map((one, index) => (index === at ? measure : one)) });
  /** Why a kind of chart cannot show what is asked; null where it can. */
  const whyNot = (chart: ChartKind): string | null => {
    if (!read.ok) return null;
    const fits = fitsChart(model, chart, read.value);
    return fits.ok ? null : fits.problem.message;
  };
  /** Grouped otherwise, a chart that cannot show it becomes the first that can. */
  function groupsChanged(next: string) {
    const asked = readAsked(model, { ...block, groups: next }, '');
    const now = block.chart as ChartKind;
    const fits = (chart: ChartKind) => asked.ok && fitsChart(model, chart, asked.value).ok;
    const better = chartKinds.find((chart) => chart !== 'scatter' && fits(chart));
    onchange({
      groups: next,
      ...(block.kind === 'chart' && asked.ok && !fits(now) && better ? { chart: better } : {}),
    });
  }
  const views = $derived(table ? partsOf(table, 'view').filter(({ id }) => id !== 'all') : []);
</script>

<label class="row"
  >Title
  <input
    class="in-line wide"
    aria-label="Title"
    maxlength="200"
    placeholder="what it shows"
    value={block.title}
    oninput={(event) => onchange({ title: event.currentTarget.value })}
  /></label
>
{#if block.kind === 'text'}
  <label class="row"
    >Text, in Markdown
    <textarea
      aria-label="Text, in Markdown"
      rows="12"
      maxlength="20000"
      value={String(block.text ?? '')}
      oninput={(event) => onchange({ text: event.currentTarget.value })}
    ></textarea></label
  >
{:else}
  <label class="row"
    >Table
    <select
      class="in-line wide"
      aria-label="Table"
      value={String(block.table ?? '')}
      onchange={(event) => tableChosen(event.currentTarget.value)}
    >
      <option value="" disabled>choose a table …</option>
      {#each model.tables.filter(({ pairs }) => !pairs) as one (one.id)}<option value={tableKey(one)}
          >{one.home === undefined ? one.label : `${one.label} (${one.home})`}</option
        >{/each}
    </select></label
  >
  {#if table && block.kind === 'list'}
    <label class="row"
      >View
      <select
        class="in-line wide"
        aria-label="View"
        value={String(block.view ?? 'all')}
        onchange={(event) => onchange({ view: event.currentTarget.value })}
      >
        <option value="all">All records</option>
        {#each views as { id, label } (id)}<option value={label}>{label}</option>{/each}
      </select></label
    >
    <label class="row"
      >Records at most
      <input
        class="in-line"
        type="number"
        min="1"
        max="100"
        value={Number(block.most ?? 20)}
        onchange={(event) => onchange({ most: Math.max(1, Math.min(100, Number(event.currentTarget.value) || 20)) })}
      /></label
    >
  {:else if table}
    <section aria-label="What is shown">
      <h3>What</h3>
      <ul>
        {#each measures as measure, at (at)}
          <MeasureRow
            {model}
            {table}
            {zone}
            {measure}
            place={at + 1}
            marks={block.kind === 'chart' && at > 0}
            onchange={(next) => changeMeasure(at, next)}
            onremove={measures.length > 1 ? () => onchange({ measures: measures.toSpliced(at, 1) }) : null}
          />
        {/each}
      </ul>
      {#if block.kind !== 'number' && measures.length < mostMeasures}
        <button class="link" onclick={() => onchange({ measures: [...measures, { total: 'count' }] })}
          >+ one more measure</button
        >
      {/if}
    </section>
    {#if block.kind !== 'number'}
      <section aria-label="Grouped by">
        <OrderPanel {model} {table} kind="groups" most={2} written={groups} onchange={groupsChanged} />
      </section>
    {/if}
    <section aria-label="Which days">
      <h3>Which days</h3>
      <PeriodRow
        {model}
        {table}
        period={(block.period ?? null) as Written | null}
        onchange={(period) => onchange({ period })}
      />
    </section>
    <section aria-label="Only records where">
      <h3>Only records where</h3>
      {#if where !== '' || isNarrowed}
        <ConditionField
          {model}
          {table}
          formula={where}
          {zone}
          label="Only records where"
          onchange={(next) => onchange({ where: next })}
        />
      {:else}
        <span class="soft">all records</span>
        <button class="link" onclick={() => (isNarrowed = true)}>+ condition</button>
      {/if}
    </section>
    {#if block.kind !== 'number'}
      <section aria-label="How">
        <h3>How</h3>
        {#if block.kind === 'chart'}
          <div class="charts" role="radiogroup" aria-label="Kind of chart">
            {#each chartKinds as chart (chart)}
              {@const why = groups === '' ? null : whyNot(chart)}
              <label class:off={why !== null} title={why === null ? '' : `${why} ${say(chartWords[chart].needs)}`}
                ><input
                  type="radio"
                  name="chart"
                  checked={block.chart === chart}
                  disabled={why !== null && block.chart !== chart}
                  onchange={() => onchange({ chart })}
                />
                {say(chartWords[chart].label)}</label
              >
            {/each}
          </div>
        {/if}
        <label class="row"
          >Order
          <select
            class="in-line"
            aria-label="Order"
            value={String(block.order ?? 'group')}
            onchange={(event) => onchange({ order: event.currentTarget.value })}
          >
            <option value="group">by the groups</option>
            <option value="most">the greatest first</option>
            <option value="least">the least first</option>
          </select></label
        >
        <label class="row"
          >Show at most
          <input
            class="in-line"
            type="number"
            min="1"
            max="200"
            placeholder="all"
            value={block.most === null || block.most === undefined ? '' : Number(block.most)}
            onchange={(event) => onchange({ most: Number(event.currentTarget.value) || null })}
          /> <span class="soft">the others as one</span></label
        >
        {#if block.kind === 'chart' && block.chart !== 'shares' && block.chart !== 'calendar' && block.chart !== 'scatter'}
          <label class="row"
            >Line at
            <input
              class="in-line"
              type="number"
              step="any"
              placeholder="none"
              value={block.limit === null || block.limit === undefined ? '' : Number(block.limit)}
              onchange={(event) =>
                onchange({ limit: event.currentTarget.value === '' ? null : Number(event.currentTarget.value) })}
            /></label
          >
        {/if}
      </section>
    {/if}
  {/if}
{/if}

<style>
  section {
    padding-top: 10px;
    margin-top: 10px;
    border-top: 1px solid var(--line);
  }
  h3 {
    margin-bottom: 4px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 8px;
    align-items: center;
    margin-top: 6px;
  }
  .wide {
    flex: 1 1 200px;
    min-width: 0;
  }
  textarea {
    width: 100%;
    padding: 6px 8px;
    color: var(--ink);
    font-size: 13px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  input[type='number'] {
    width: 90px;
  }
  .charts {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 2px 8px;
    margin-bottom: 6px;
  }
  .off {
    color: var(--ink-faint);
  }
  .soft {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .link {
    min-height: 24px;
    color: var(--woad);
  }
</style>
