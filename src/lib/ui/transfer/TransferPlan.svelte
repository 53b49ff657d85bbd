<script lang="ts">
  import type { LinkLine } from '$core/transfer/work';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import WorkGoing from '../structure/WorkGoing.svelte';
  import { counted } from '../values/words';
  import ReceiptTable from './ReceiptTable.svelte';
  import type { TransferDraft } from './transferDraft.svelte';

  /** What a transfer would do, side by side with what is wanted of it: tried before it is done. */
  const {
    draft,
    root,
    tables,
    does,
    waits,
    onaccept,
    onundo,
  }: {
    draft: TransferDraft;
    root: string;
    /** The keys of the workspace's tables, for links to records. */
    tables: readonly string[];
    /** What the button says: *Move the records*. */
    does: string;
    /** What is still to be said before there is a plan. */
    waits: string;
    /** Takes differences of calculated values as they are; where there can be any. */
    onaccept?: (() => void) | undefined;
    onundo: (batch: number) => void;
  } = $props();
  const { notices } = useFrame();
  const plan = $derived(draft.shown?.plan);
  const blocked = $derived((plan?.problems.length ?? 0) > 0);
  const receipt = $derived(draft.shown?.receipt ?? draft.shown?.tried ?? null);
  const differs = $derived((receipt?.formulas ?? []).some(({ differ }) => differ > 0));
  const isCurrent = $derived(draft.busy !== 'planning' && draft.wanted !== null && draft.problem === null);
  const fateWords: Record<LinkLine['fate'], string> = {
    follows: 'follows',
    pointed: 're-pointed',
    cleared: 'cleared',
    keptBehind: 'kept behind as a copy',
    deleted: 'deleted with it',
  };

  async function apply() {
    if (!(await draft.apply())) return;
    const batch = draft.shown?.batch;
    if (batch !== null && batch !== undefined)
      notices.done(`${plan?.title ?? 'Done'}.`, { label: 'Undo it', run: () => onundo(batch) });
  }
</script>

<section aria-label="What happens" aria-busy={draft.busy !== ''}>
  <h2>{draft.shown?.receipt ? 'What was done' : 'What happens'}</h2>
  {#if draft.problem}<p class="refused" role="alert">
      <b>{draft.problem.message}</b>
      {draft.problem.fix ?? ''}
    </p>{/if}
  {#if draft.wanted === null && !draft.shown?.receipt}<p class="soft">{waits}</p>
  {:else if draft.busy === 'planning'}<p class="soft" role="status">Looking …</p>{/if}
  {#if plan && (isCurrent || draft.shown?.receipt)}
    <ul class="takes">
      {#each plan.takes as { table, count }, at (at)}<li><b>{counted(count, 'record')}</b> of {table}</li>{/each}
    </ul>
    {#each plan.left as { words, count }, at (at)}<p class="left"><b>{counted(count, 'record')}</b> {words}.</p>{/each}
    {#each plan.problems as problem, at (at)}<p class="refused">
        <b>{problem.message}</b>
        {problem.fix ?? ''}
      </p>{/each}
    {#if receipt}
      <h3>{draft.shown?.receipt ? 'Receipt' : 'Tried and rolled back: nothing is changed yet'}</h3>
      <ReceiptTable {receipt} {root} {tables} misfits={draft.misfits} />
    {/if}
    {#if plan.links.length > 0}
      <h3>Links around them</h3>
      <table class="listing">
        <tbody
          >{#each plan.links as { link, fate, words }, at (at)}<tr
              ><td>{link}</td><td><b class={fate}>{fateWords[fate]}</b></td><td>{words}</td></tr
            >{/each}</tbody
        >
      </table>
    {/if}
    {#if plan.formulas.length > 0}
      <h3>What reads them</h3>
      <table class="listing">
        <tbody
          >{#each plan.formulas as { words, before, after, problem }, at (at)}<tr class:bad={problem !== null}
              ><td>{words}</td><td
                ><code>{before}</code>{#if after !== null}<br />→ <code>{after}</code>{:else}<br />cannot follow: {problem}{/if}</td
              ></tr
            >{/each}</tbody
        >
      </table>
    {/if}
    {#if plan.effects.length > 0}
      <details>
        <summary>{counted(plan.effects.length, 'change')} of the structure</summary>
        <ul>
          {#each plan.effects as { change }, at (at)}<li>{change}</li>{/each}
        </ul>
      </details>
    {/if}
    {#if plan.samples.length > 0 && !receipt}
      <h3>Before and after, for a few</h3>
      <table class="listing">
        <tbody
          >{#each plan.samples as { record, before, after }, at (at)}<tr
              ><td>{record}</td><td class="was">{before || 'blank'}</td><td>{after || 'blank'}</td></tr
            >{/each}</tbody
        >
      </table>
    {/if}
    {#if draft.work.current}<WorkGoing work={draft.work.current} onstop={() => void draft.work.stop()} />{/if}
    {#if draft.shown?.receipt}
      <div class="do">
        {#if draft.shown.batch !== null}<Button onclick={() => onundo(draft.shown?.batch ?? 0)}>Undo it</Button>{/if}
        <Button kind="quiet" href="{root}/history">History</Button>
      </div>
    {:else}
      <div class="do">
        {#if differs && onaccept}<Button kind="danger" onclick={onaccept}>Accept the differences</Button>{/if}
        <Button kind="main" disabled={blocked || draft.busy !== ''} onclick={() => void apply()}
          >{draft.busy === 'doing' ? 'Working …' : does}</Button
        >
        <Button disabled={blocked || draft.busy !== ''} onclick={() => void draft.try()}
          >{draft.busy === 'trying' ? 'Trying …' : 'Try it'}</Button
        >
        <span class="soft">Trying it does everything and rolls it back.</span>
      </div>
    {/if}
  {/if}
</section>

<style>
  h2 {
    margin-bottom: 6px;
    font-size: 16px;
  }
  h3 {
    margin: 14px 0 4px;
    font-size: 14px;
  }
  .takes {
    margin-bottom: 6px;
  }
  .soft,
  .was {
    color: var(--ink-soft);
  }
  .left,
  .refused,
  .bad {
    color: var(--madder);
  }
  .cleared,
  .deleted {
    color: var(--madder);
  }
  summary {
    margin-top: 10px;
    color: var(--woad);
    cursor: pointer;
  }
  details ul {
    padding-left: 18px;
    font-size: 13px;
    list-style: disc;
  }
  td {
    vertical-align: top;
  }
  .do {
    position: sticky;
    /* Down to the edge of the page, below its margin. */
    bottom: -18px;
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    padding: 10px 0 22px;
    margin-top: 10px;
    background: var(--ground);
    border-top: 1px solid var(--line);
  }
</style>
