<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { ownTables } from '$core/model/model';
  import type { RoutineOut } from '$server/routines/routines';
  import { call, workspacePath } from '$ui/api';
  import { useFrame } from '$ui/frame/context';
  import { renewed } from '$ui/renewed';
  import RoutinesStage from '$ui/routines/RoutinesStage.svelte';
  import { whyNotRunning } from '$ui/routines/state';
  import { agoWords, counted } from '$ui/values/words';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const root = $derived(`/w/${workspace}/routines`);
  const may = $derived(data.workspace.may.routines);
  let all = $state.raw<readonly RoutineOut[] | null>(null);
  const tables = $derived(ownTables(data.model));
  const byTable = $derived(
    tables
      .map((table) => ({ table, routines: (all ?? []).filter((one) => one.table === table.key) }))
      .filter(({ routines }) => routines.length > 0),
  );

  async function read() {
    const answer = await call<{ items: RoutineOut[] }>('GET', workspacePath(workspace, '/routines'));
    if (answer.ok) all = answer.value.items;
    else notices.refused(answer.problem);
  }
  $effect(() => {
    void [live.count, workspace];
    if (may) untrack(() => void read());
  });

  async function turn({ id, table, routine }: RoutineOut) {
    const on = routine.on !== true;
    const path = workspacePath(workspace, `/tables/${table}/routines/${id}`);
    const answer = await call('PATCH', path, { routine: { on } });
    if (!answer.ok) notices.refused(answer.problem);
    else notices.done(`“${String(routine.label)}” is ${on ? 'on' : 'off'}.`);
    await Promise.all([read(), renewed('loom:model')]);
  }
  async function resume({ id, routine }: RoutineOut) {
    const answer = await call('POST', workspacePath(workspace, `/routines/${id}/resume`));
    if (answer.ok) notices.done(`“${String(routine.label)}” goes on.`);
    else notices.refused(answer.problem);
    await read();
  }
</script>

<svelte:head><title>Routines · {data.workspace.label} · Inner Loom</title></svelte:head>
{#if !may}
  <section class="none"><p>Routines are for those whose role manages them.</p></section>
{:else}
  <RoutinesStage side="routines">
    {#snippet head()}
      <label class="new"
        ><span class="sr-only">New routine for</span>
        <select
          class="in-line"
          value=""
          onchange={(event) => void goto(`${root}/new?table=${event.currentTarget.value}`)}
        >
          <option value="" disabled>+ New routine for …</option>
          {#each tables as { key, label } (key)}<option value={key}>{label}</option>{/each}
        </select></label
      >
    {/snippet}
    {#if all === null}
      <p>Reading …</p>
    {:else if all.length === 0}
      <p class="empty">
        No routine yet. A routine says when it is set off (a record is made, a field changes, a day comes near, a form
        is sent, a button is pressed) and what is done then, step by step. Choose a table above to begin.
      </p>
    {/if}
    {#each byTable as { table, routines } (table.id)}
      <h2 style:--selvedge="var(--dye-{table.dye})">{table.label}</h2>
      <ul>
        {#each routines as one (one.id)}
          {@const why = whyNotRunning(one)}
          {@const label = String(one.routine.label)}
          <li style:--selvedge="var(--dye-{table.dye})">
            <label class="switch" title={one.tried ? '' : 'Try it first: open it.'}
              ><input
                type="checkbox"
                checked={one.routine.on === true}
                disabled={!one.tried && one.routine.on !== true}
                aria-label="{label} is on"
                onchange={() => void turn(one)}
              />
              <span>{one.routine.on === true ? 'on' : 'off'}</span></label
            >
            <div class="what">
              <a href="{root}/{one.id}">{label}</a>
              <p>{one.sentence}</p>
              {#if why !== null && why !== 'off'}
                <p class="why">
                  Does not run: {why}.
                  {#if one.problem}{one.problem}{/if}
                  {#if one.paused}<button onclick={() => void resume(one)}>Let it go on</button>{/if}
                </p>
              {:else if one.problem && one.failures > 0}
                <p class="why">Failed {counted(one.failures, 'time')} in a row: {one.problem}</p>
              {/if}
            </div>
            <a class="runs" href="{root}/runs?routine={one.id}"
              >{counted(one.runs, 'run')}{#if one.lastRun}<br /><span>{agoWords(one.lastRun)}</span>{/if}</a
            >
          </li>
        {/each}
      </ul>
    {/each}
  </RoutinesStage>
{/if}

<style>
  .none,
  .empty {
    max-width: 640px;
    padding: 26px 32px;
    color: var(--ink-soft);
  }
  .empty {
    padding: 8px 0;
  }
  .new select {
    padding-block: 4px;
    color: var(--woad-ink);
    font-weight: 600;
    background-color: var(--woad);
    border-color: transparent;
  }
  .new option {
    color: var(--ink);
    background: var(--raised);
  }
  h2 {
    margin: 16px 0 6px;
    font-size: 15px;
  }
  ul {
    max-width: 1100px;
  }
  li {
    display: grid;
    grid-template-columns: 56px minmax(0, 1fr) 110px;
    gap: 12px;
    align-items: start;
    padding: 10px 14px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-left: 4px solid var(--selvedge);
  }
  li + li {
    border-top: 0;
  }
  .switch {
    display: flex;
    gap: 6px;
    align-items: center;
    padding-top: 1px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .what a {
    font-weight: 600;
  }
  .what p {
    color: var(--ink-soft);
    overflow-wrap: anywhere;
  }
  .what .why {
    color: var(--weld);
  }
  .why button {
    text-decoration: underline;
  }
  .runs {
    font-size: 13px;
    text-align: right;
  }
  .runs span {
    color: var(--ink-soft);
  }
  @media (max-width: 700px) {
    li {
      grid-template-columns: 50px minmax(0, 1fr);
    }
    .runs {
      grid-column: 2;
      text-align: left;
    }
    .runs br {
      display: none;
    }
  }
</style>
