<script lang="ts">
  import type { Effect } from '$core/model/effect';
  import Button from '../controls/Button.svelte';
  import { counted } from '../values/words';

  /** A plan before it is applied: each change with its counted effects, samples and what stands in its way. */
  const {
    effects,
    possible,
    busy,
    onapply,
    onaway,
  }: { effects: readonly Effect[]; possible: boolean; busy: boolean; onapply: () => void; onaway: () => void } = $props();
  const durations = { instant: 'instant', seconds: 'some seconds', long: 'longer; a million records take about half a minute' };
  const records = $derived(
    Math.max(
      0,
      ...effects
        .flatMap(({ counts }) => counts)
        .filter(({ what }) => /records|values/.test(what))
        .map(({ count }) => count),
    ),
  );
</script>

<ol>
  {#each effects as effect, index (index)}
    <li class:broken={effect.breaks.length > 0}>
      <div class="change"><span>{effect.breaks.length > 0 ? '!' : '✓'} {effect.change}</span><span class="soft">{durations[effect.duration]}</span></div>
      {#each effect.counts as { what, count } (what)}<p>{count.toLocaleString()} {what}</p>{:else}{#if effect.breaks.length === 0}<p class="soft">
            nothing else changes
          </p>{/if}{/each}
      {#each effect.breaks as broken (broken.message)}<p class="refused"><b>{broken.message}</b> {broken.mend ?? ''}</p>{/each}
      {#if effect.samples.length > 0}
        <table>
          <tbody>
            {#each effect.samples as { record, before, after } (record)}<tr
                ><th scope="row">{record}</th><td>{before}{before ? ' → ' : ''}<b>{after === '' ? '—' : after}</b></td></tr
              >{/each}
          </tbody>
        </table>
      {/if}
    </li>
  {/each}
</ol>
<div class="steps">
  <Button kind="main" disabled={!possible || busy} onclick={onapply}
    >{busy
      ? 'Doing it …'
      : `Do ${effects.length === 1 ? 'this change' : `these ${effects.length} changes`}${records > 0 ? `, up to ${counted(records, 'record')}` : ''}`}</Button
  >
  <Button kind="quiet" disabled={busy} onclick={onaway}>Throw the plan away</Button>
</div>
<p class="soft">Whole or not at all; History takes it back.</p>

<style>
  li {
    padding: 8px 0 10px 10px;
    margin-bottom: 6px;
    border-left: 3px solid var(--lichen);
  }
  .broken {
    border-color: var(--madder);
  }
  .change {
    display: flex;
    justify-content: space-between;
    gap: 10px;
    font-weight: 600;
  }
  .soft {
    color: var(--ink-faint);
    font-size: 13px;
    font-weight: 400;
  }
  .refused {
    color: var(--madder);
  }
  table {
    width: 100%;
    margin-top: 4px;
    font-size: 13px;
  }
  th {
    font-weight: 500;
    text-align: left;
  }
  td {
    text-align: right;
  }
  tr {
    border-bottom: 1px solid var(--line);
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin: 12px 0 6px;
  }
</style>
