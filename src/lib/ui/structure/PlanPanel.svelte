<script lang="ts">
  import type { BreakingWay } from '$core/changes/effect';
  import type { Model } from '$core/types/model';
  import { page } from '$app/state';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { counted } from '../values/words';
  import FieldWay from './field/FieldWay.svelte';
  import type { PlanShown, WaitingChanges } from './waiting.svelte';
  import WorkGoing from './WorkGoing.svelte';

  type PlannedEffect = PlanShown['effects'][number];

  /**
   * A plan before it is applied: each change with its counted effects, samples, what follows it, and the ways past what
   * stands in its way.
   */
  const {
    waiting,
    plan,
    root,
    onapply,
    onaway,
  }: {
    waiting: WaitingChanges;
    plan: PlanShown;
    /** Where the table's records are shown, for those that break a rule. */
    root?: string;
    onapply: () => void;
    onaway: () => void;
  } = $props();
  const frame = useFrame();
  const busy = $derived(waiting.busy);
  const durations = {
    instant: 'instant',
    seconds: 'some seconds',
    long: 'longer; a million records take about half a minute',
  };
  const wayWords: Record<BreakingWay, string> = {
    setAside: 'Set those values aside',
    fromNow: 'Keep them; apply the rule from now on',
    fill: 'Fill the blanks with this',
  };
  const records = $derived(
    Math.max(
      0,
      ...plan.effects
        .flatMap(({ counts }) => counts)
        .filter(({ what }) => /records|values|blanks/.test(what))
        .map(({ count }) => count),
    ),
  );
  let fills = $state<Record<number, string>>({});
  let meant = $state<Record<string, string>>({});

  /** A plan that sets anything aside never looks as if all were well. */
  const setsAside = ({ counts }: PlannedEffect) =>
    counts.some(({ what, count }) => count > 0 && what.includes('set aside'));

  let chosen: ReturnType<typeof setTimeout> | undefined;
  let settling = $state(false);
  /** What is shown as chosen is what will be done: the plan is made again with it, once one has stopped choosing. */
  function choose(effect: PlannedEffect) {
    settling = true;
    clearTimeout(chosen);
    chosen = setTimeout(() => void confirm(effect).then(() => (settling = false)), 300);
  }

  async function confirm(effect: PlannedEffect) {
    const pairs = effect.nearMisses.flatMap(({ text, candidates }) => {
      const id = meant[text] ?? '';
      return id !== '' && candidates.some((one) => String(one.id) === id) ? [[text, Number(id)] as const] : [];
    });
    await waiting.confirm(effect.source ?? 0, Object.fromEntries(pairs));
  }
</script>

<ol>
  {#each plan.effects as effect, index (index)}
    <li class:broken={effect.breaks.length > 0}>
      <div class="change">
        <span
          >{#if effect.breaks.length > 0}!{:else if setsAside(effect)}<b class="warn" title="values are set aside">⚠</b
            >{:else}✓{/if}
          {effect.change}</span
        ><span class="soft">{durations[effect.duration]}</span>
      </div>
      {#each effect.counts as { what, count }, index (index)}<p>
          {count.toLocaleString()}
          {count === 1
            ? what.replace(/^((?:repeated |entered )?(?:record|value|blank|field|new record))s\b/, '$1')
            : what}
        </p>{:else}{#if effect.breaks.length === 0 && effect.dependents.length === 0}<p class="soft">
            nothing else changes
          </p>{/if}{/each}
      {#if effect.carries.length > 0}<p class="carries">
          Who may not see {effect.carries.join(', ')} will see what is calculated from {effect.carries.length === 1
            ? 'it'
            : 'them'} here. Make the field internal, or leave that out, if they should not.
        </p>{/if}
      {#if effect.dependents.length > 0}<p class="soft">
          {effect.dependents.join(', ')}
          {effect.dependents.length === 1 ? 'follows' : 'follow'}
        </p>{/if}
      {#each effect.breaks as broken, index (index)}<p class="refused">
          <b>{broken.message}</b>
          {broken.fix ?? ''}
          {#if broken.path}<span class="path"
              >{#each broken.path as id, step (step)}{step > 0 ? ' ← ' : ''}<FieldWay
                  workspace={frame.workspace.key}
                  model={page.data.model as Model}
                  {id}
                />{/each}</span
            >{/if}
        </p>{/each}
      {#if effect.broken}
        <details>
          <summary
            >{counted(effect.broken.count, 'record')} ▸ see {effect.broken.records.length < effect.broken.count
              ? `the first ${effect.broken.records.length}`
              : 'them'}</summary
          >
          <ul class="records">
            {#each effect.broken.records as record (record.id)}<li>
                {#if root}<a href="{root}?record={record.id}">{record.title}</a>{:else}{record.title}{/if}
              </li>{/each}
          </ul>
        </details>
      {/if}
      {#if waiting.changes.length > 0 && effect.source !== undefined}
        {@const source = effect.source}
        {#each effect.ways as way (way)}
          <div class="way">
            {#if way === 'fill'}<input
                bind:value={fills[index]}
                aria-label="Value for the blanks"
                placeholder="value"
              />{/if}
            <Button
              kind="plain"
              disabled={busy || (way === 'fill' && !fills[index])}
              onclick={() => void waiting.choose(source, way, fills[index])}>{wayWords[way]}</Button
            >
          </div>
        {/each}
      {/if}
      {#if waiting.changes.length > 0 && effect.nearMisses.length > 0}
        <div class="near">
          <p>
            <b>{counted(effect.nearMisses.length, 'unmatched value')}.</b> Choose the record for each, or leave it to be set
            aside:
          </p>
          {#each effect.nearMisses.slice(0, 50) as { text, count, candidates } (text)}
            <label
              ><span>{text} <small>{count}×</small></span>
              <select bind:value={meant[text]} onchange={() => choose(effect)}>
                <option value="">{candidates.length > 0 ? 'none of these' : 'no similar record'}</option>
                {#each candidates as one (one.id)}<option value={String(one.id)}>{one.title}</option>{/each}
              </select></label
            >
          {/each}
          {#if effect.nearMisses.length > 50}<p class="soft">
              The 50 most frequent of {effect.nearMisses.length} are shown.
            </p>{/if}
          <div class="steps">
            <Button
              kind="quiet"
              onclick={() => {
                const nearest = effect.nearMisses.flatMap(({ text, candidates }) =>
                  candidates[0] ? [[text, String(candidates[0].id)]] : [],
                );
                meant = { ...meant, ...(Object.fromEntries(nearest) as Record<string, string>) };
                choose(effect);
              }}>Choose the nearest for each</Button
            >
          </div>
        </div>
      {/if}
      {#if effect.samples.length > 0}
        <table>
          <tbody>
            {#each effect.samples as { record, before, after }, sample (sample)}<tr
                ><th scope="row">{record}</th><td>{before}{before ? ' → ' : ''}<b>{after === '' ? '—' : after}</b></td
                ></tr
              >{/each}
          </tbody>
        </table>
      {/if}
    </li>
  {/each}
</ol>
<div class="steps">
  <Button kind="main" disabled={!plan.possible || busy || settling} onclick={onapply}
    >{busy
      ? 'Working …'
      : `Apply ${plan.effects.length === 1 ? 'this change' : `these ${plan.effects.length} changes`}${records > 0 ? `, up to ${counted(records, 'record')}` : ''}`}</Button
  >
  <Button kind="quiet" disabled={busy} onclick={onaway}>Discard the plan</Button>
</div>
{#if waiting.work.current}<WorkGoing work={waiting.work.current} onstop={() => void waiting.work.stop()} />{/if}
<p class="soft">All of it is applied, or nothing; it can be undone in History.</p>

<style>
  .carries {
    padding: 4px 8px;
    margin: 4px 0;
    font-size: 13px;
    background: var(--weld-tint);
    border-left: 3px solid var(--weld);
  }
  .warn {
    color: var(--weld);
  }

  ol > li {
    padding: 8px 0 10px 10px;
    margin-bottom: 6px;
    border-left: 3px solid var(--lichen);
  }
  ol > .broken {
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
  .path {
    display: block;
  }
  .refused {
    color: var(--madder);
  }
  .way {
    display: flex;
    gap: 6px;
    margin-top: 6px;
  }
  .way input,
  .near select {
    min-width: 0;
    padding: 2px 8px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .near label {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px;
    align-items: center;
    padding: 3px 0;
    font-size: 13px;
    border-bottom: 1px solid var(--line);
  }
  small {
    color: var(--ink-faint);
  }
  summary {
    color: var(--woad);
    font-size: 13px;
    cursor: pointer;
  }
  .records {
    max-height: 160px;
    overflow: auto;
    font-size: 13px;
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
