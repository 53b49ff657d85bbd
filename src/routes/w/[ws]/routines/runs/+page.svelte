<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { ownTables } from '$core/model/model';
  import { partsOf } from '$core/types/part';
  import type { RunOut } from '$server/routines/runs';
  import { workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import { PagedList } from '$ui/pagedList.svelte';
  import RoutinesStage from '$ui/routines/RoutinesStage.svelte';
  import StepsDone from '$ui/routines/StepsDone.svelte';
  import { agoWords, counted, tookWords } from '$ui/values/words';

  /** The log of routines: of all, of one, or of one step of History. */
  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const list = new PagedList<RunOut>((problem) => notices.refused(problem));
  const routine = $derived(page.url.searchParams.get('routine') ?? '');
  const batch = $derived(page.url.searchParams.get('batch') ?? '');
  const routines = $derived(ownTables(data.model).flatMap((table) => partsOf(table, 'routine')));
  const asked = $derived(
    new URLSearchParams({ limit: '50', ...(routine ? { routine } : {}), ...(batch ? { batch } : {}) }),
  );
  const path = $derived(workspacePath(workspace, `/routines/runs?${asked}`));
  /** The run whose steps are shown. */
  let opened = $state<number | null>(null);

  $effect(() => {
    void live.count;
    const from = path;
    untrack(() => void list.read(from));
  });
  // Of one step of History the steps stand there at once.
  $effect(() => {
    if (batch && list.items.length === 1) opened = list.items[0]?.id ?? null;
  });

  const labelOf = (key: string | null) =>
    ownTables(data.model).find((table) => table.key === key)?.label ?? 'a table that is gone';
  const href = (label: string, id: number): string | null => {
    const found = ownTables(data.model).find((table) => table.label === label);
    return found ? `/w/${workspace}/t/${found.key}/r/${id}` : null;
  };
</script>

<svelte:head><title>Runs of routines · {data.workspace.label} · Inner Loom</title></svelte:head>
<RoutinesStage side="runs">
  <p class="asked">
    <label
      >of
      <select
        class="in-line"
        value={routine}
        onchange={(event) =>
          void goto(`?${new URLSearchParams(event.currentTarget.value ? { routine: event.currentTarget.value } : {})}`)}
      >
        <option value="">all routines</option>
        {#each routines as one (one.id)}<option value={one.id}>{one.label}</option>{/each}
      </select></label
    >
    {#if batch}<span>set off by one step of History · <a href="?">show all</a></span>{/if}
  </p>
  {#if !list.isRead}
    <p>Reading …</p>
  {:else if list.items.length === 0}
    <p class="none">{routine || batch ? 'Nothing of it ran yet.' : 'Nothing ran yet.'}</p>
  {:else}
    <ol class="runs">
      {#each list.items as run (run.id)}
        <li class:failed={run.problem !== null}>
          <button aria-expanded={opened === run.id} onclick={() => (opened = opened === run.id ? null : run.id)}>
            <time datetime={run.at} title={new Date(run.at).toLocaleString()}>{agoWords(run.at)}</time>
            <b>{run.label}</b>
            <span>{counted(run.records, 'record')} of {labelOf(run.table)}</span>
            <span class="soft">{run.by ?? 'the clock'}</span>
            <span class="number">{tookWords(run.took)}</span>
            <span class="end">{run.problem === null ? 'done' : 'failed'}</span>
          </button>
          {#if opened === run.id}
            <div class="more">
              {#if run.problem}<p class="problem">{run.problem}</p>{/if}
              <p class="soft">
                {#if run.first.length > 0}Set off by
                  {#each run.first.slice(0, 5) as record, at (record)}{at > 0 ? ', ' : ''}<a
                      href="/w/{workspace}/t/{run.table}/r/{record}">{labelOf(run.table)} #{record}</a
                    >{/each}{run.records > 5 ? ` and ${(run.records - 5).toLocaleString()} more` : ''}.{/if}
                {#if run.chain.length > 0}It was set off by {run.chain.join(' → ')}.{/if}
                {#if run.batch !== null && !batch}<a href="?batch={run.batch}">All that ran with it</a> ·
                  <a href="/w/{workspace}/history">History</a>{/if}
              </p>
              <StepsDone steps={run.steps} {href} />
            </div>
          {/if}
        </li>
      {/each}
    </ol>
    {#if list.next !== null}<Button onclick={() => void list.read(path, true)}>Show earlier ones</Button>{/if}
  {/if}
</RoutinesStage>

<style>
  .asked {
    display: flex;
    gap: 16px;
    align-items: baseline;
    margin-bottom: 10px;
  }
  .asked a,
  .more a {
    color: var(--woad);
    text-decoration: underline;
  }
  .none,
  .soft {
    color: var(--ink-soft);
  }
  .runs {
    max-width: 1100px;
    margin-bottom: 10px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  li {
    border-top: 1px solid var(--line);
  }
  li > button {
    display: grid;
    grid-template-columns: 110px minmax(0, 1.4fr) minmax(0, 1fr) 120px 80px 60px;
    gap: 10px;
    align-items: baseline;
    width: 100%;
    padding: 7px 14px;
    text-align: left;
  }
  li > button:hover {
    background: var(--sunken);
  }
  time {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .number {
    color: var(--ink-soft);
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .failed .end,
  .problem {
    color: var(--madder);
  }
  .end {
    color: var(--ink-soft);
    text-align: right;
  }
  .more {
    padding: 4px 14px 12px 24px;
  }
  .more > p {
    margin-bottom: 8px;
  }
  @media (max-width: 700px) {
    li > button {
      grid-template-columns: minmax(0, 1fr) auto;
    }
  }
</style>
