<script lang="ts">
  import { say, sayWithin } from '$core/base/say';
  import { csvOf, tableOf } from '$core/summaries/csv';
  import { blockDescriptors, chartWords } from '$core/summaries/blocks';
  import { measureLabel } from '$core/summaries/asked';
  import type { Block as BlockValue, BlockKinds, Summary } from '$core/types/summary';
  import type { Model } from '$core/types/model';
  import type { BlockData } from '$server/summaries/data';
  import { partLabel } from '$core/query/query';
  import { findTable } from '$core/model/model';
  import Menu from '../controls/Menu.svelte';
  import type { MenuItem } from '../controls/menuItem';
  import MarkdownText from '../values/MarkdownText.svelte';
  import BlockChart from './BlockChart.svelte';
  import BlockNumber from './BlockNumber.svelte';
  import BlockTable from './BlockTable.svelte';
  import RecordRows from './RecordRows.svelte';
  import { bareReading, readingIn } from '$core/summaries/reading';
  import type { BlockJson } from './summaryPage.svelte';

  /** One block of a summary: its title, what it says, and what it leaves out. */
  const {
    block,
    json,
    data,
    problem,
    model,
    zone,
    busy,
    onchoose,
  }: {
    /** As it is read; null while it cannot be. */
    block: Summary['blocks'][number] | null;
    json: BlockJson;
    data: BlockData | undefined;
    problem: { readonly message: string; readonly fix?: string } | null;
    model: Model;
    zone: string;
    /** It is read anew. */
    busy: boolean;
    onchoose: (values: readonly unknown[], against: boolean, words: string) => void;
  } = $props();
  const reading = $derived(readingIn(zone));
  let asTable = $state(false);
  let chart = $state<ReturnType<typeof BlockChart> | null>(null);

  const asked = $derived(data?.asked);
  /** What it is called: its title, or what it shows in a few words. */
  const title = $derived(json.title || (block ? saidOf(block) : say(blockDescriptors[json.kind].label)));
  function saidOf(one: BlockValue): string {
    if (one.kind === 'text') return '';
    if (one.kind === 'list') return findTable(model, one.table)?.label ?? '';
    const what = one.measures.filter(({ mark }) => !mark).map((measure) => measureLabel(model, measure));
    const by = one.groups.map((part) => partLabel(model, part));
    const period = asked?.periodWords && one.kind !== 'number' ? `, ${asked.periodWords}` : '';
    return `${what.join(', ')}${by.length > 0 ? ` by ${by.join(' and ')}` : ''}${period}`;
  }
  const unfiltered = $derived(asked?.unfiltered ?? data?.list?.unfiltered ?? []);

  function save(address: string, ending: string) {
    const link = document.createElement('a');
    link.href = address;
    link.download = `${title || 'block'}.${ending}`;
    link.click();
  }
  function saveCsv() {
    if (!asked) return;
    const text = csvOf(tableOf(asked, bareReading, 'smallest'));
    const address = URL.createObjectURL(new Blob(['\ufeff', text], { type: 'text/csv' }));
    save(address, 'csv');
    setTimeout(() => URL.revokeObjectURL(address), 10_000);
  }
  function savePicture(kind: 'svg' | 'png') {
    const address = chart?.picture(kind);
    if (address) save(address, kind);
  }
  const items = $derived<MenuItem[]>([
    ...(json.kind === 'chart'
      ? [{ label: asTable ? 'Show as a chart' : 'Show as a table', run: () => (asTable = !asTable) }]
      : []),
    ...(asked ? [{ label: 'Save as CSV', run: saveCsv }] : []),
    ...(json.kind === 'chart' && !asTable
      ? [
          { label: 'Save as SVG', run: () => savePicture('svg') },
          { label: 'Save as PNG', run: () => savePicture('png') },
        ]
      : []),
  ]);
</script>

{#if json.kind !== 'text' || json.title}
  <header>
    <h2 {title}>{title}</h2>
    {#if items.length > 0 && asked}
      <span class="menu"><Menu {items} label="What to do with “{title}”">⋯</Menu></span>
    {/if}
  </header>
{/if}
<div class="body" class:busy>
  {#if problem ?? data?.problem}
    {@const said = problem ?? data?.problem}
    <p class="problem" role="status">{said?.message} {said?.fix ?? ''}</p>
  {:else if json.kind === 'text'}
    <div class="text"><MarkdownText text={String(json.text ?? '')} /></div>
  {:else if block?.kind === 'list'}
    {#if data?.list}<RecordRows data={data.list} {reading} {title} />{/if}
  {:else if asked && block}
    {#if block.kind === 'number'}
      <BlockNumber data={asked} {reading} {onchoose} />
    {:else if block.kind === 'chart' && !asTable}
      <BlockChart
        bind:this={chart}
        block={block as BlockKinds['chart']}
        data={asked}
        {reading}
        title="{title}, {sayWithin(chartWords[block.chart].label)}"
        {onchoose}
      />
    {:else}
      <BlockTable data={asked} {reading} {title} {onchoose} />
    {/if}
  {/if}
  {#if unfiltered.length > 0}<p class="unfiltered">Not filtered by {unfiltered.join(', ')}.</p>{/if}
</div>

<style>
  header {
    display: flex;
    gap: 8px;
    align-items: baseline;
    justify-content: space-between;
  }
  h2 {
    min-width: 0;
    overflow: hidden;
    font-size: 14px;
    font-weight: 600;
    line-height: 1.3;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .menu {
    flex: none;
    margin: -4px -6px -4px 0;
    color: var(--ink-soft);
  }
  @media print {
    .menu {
      display: none;
    }
  }
  .body {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-height: 0;
    transition: opacity 120ms;
  }
  .busy {
    opacity: 0.6;
  }
  .text {
    overflow: auto;
  }
  .problem {
    color: var(--weld);
    font-size: 13px;
  }
  .unfiltered {
    color: var(--ink-soft);
    font-size: 12px;
  }
</style>
