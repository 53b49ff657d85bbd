<script lang="ts">
  import { untrack } from 'svelte';
  import { ownTables } from '$core/model/model';
  import type { BatchOut, UndoPlan } from '$server/history/undo';
  import type { StructureDifference } from '$core/changes/difference';
  import Button from '$ui/controls/Button.svelte';
  import Inspector from '$ui/frame/Inspector.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { call, workspacePath } from '$ui/api';
  import { useFrame } from '$ui/frame/context';
  import { agoWords, counted } from '$ui/values/words';
  import { WatchedWork } from '$ui/structure/work.svelte';
  import WorkGoing from '$ui/structure/WorkGoing.svelte';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const work = new WatchedWork(() => workspace);
  const most = 100;
  let batches = $state<readonly BatchOut[] | null>(null);
  const kinds: Record<string, string> = {
    edit: 'records',
    plan: 'structure',
    load: 'intake',
    form: 'form',
    undo: 'undo',
  };

  async function read() {
    const answer = await call<{ items: BatchOut[] }>(
      'GET',
      workspacePath(
        workspace,
        `/history?${new URLSearchParams({ limit: String(most), ...(table ? { table } : {}), ...(person ? { person } : {}) })}`,
      ),
    );
    if (answer.ok) batches = answer.value.items;
    else notices.refused(answer.problem);
  }
  /** Which steps are shown: of a table, by a person; all where nothing is chosen. */
  let table = $state('');
  let person = $state('');
  const directory = $derived(
    call<{ items: { id: number; name: string }[] }>('GET', workspacePath(workspace, '/directory')),
  );
  $effect(() => (live.count, table, person, untrack(() => void read())));

  let compared = $state.raw<{ title: string; difference: readonly StructureDifference[] } | null>(null);
  /** What the structure was like after a step, beside what it is now, or after the step chosen as the other side. */
  async function compare(batch: BatchOut, to: BatchOut | null) {
    const answer = await call<{ difference: StructureDifference[] }>(
      'GET',
      workspacePath(workspace, `/structure/${batch.id}${to ? `?to=${to.id}` : ''}`),
    );
    if (!answer.ok) return notices.refused(answer.problem);
    planned = null;
    compared = {
      title: to ? `From ${agoWords(batch.at)} to ${agoWords(to.at)}` : `Since ${agoWords(batch.at)}`,
      difference: answer.value.difference,
    };
  }
  const stepBefore = (batch: BatchOut) =>
    (batches ?? []).find(({ id, structural }) => structural && id < batch.id) ?? null;

  /** What an undo would do, looked at before it is done. */
  let planned = $state.raw<UndoPlan | null>(null);
  async function plan(batch: BatchOut) {
    const answer = await call<UndoPlan>('POST', workspacePath(workspace, `/batches/${batch.id}/undo`), { dry: true });
    if (!answer.ok) return notices.refused(answer.problem);
    const { effects, records, possible } = answer.value;
    const touched = records.reduce((sum, one) => sum + one.back + one.changed + one.deleted, 0);
    // One record's edit is seen at once and as quickly done again.
    if (possible && effects.length === 0 && touched <= 1) return undo(answer.value);
    [planned, compared] = [answer.value, null];
  }
  async function undo({ batch, title }: Pick<UndoPlan, 'batch' | 'title'>) {
    planned = null;
    const answer = await work.during(call('POST', workspacePath(workspace, `/batches/${batch}/undo`)));
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`Undone: ${title}.`);
    await read();
  }
</script>

<svelte:head><title>History · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title="History"
  purpose="Every edit, plan and intake as one step that can be undone when no later change stands on it."
>
  {#if work.current}<WorkGoing work={work.current} onstop={() => void work.stop()} />{/if}
  <p class="asked">
    <label
      >of <select class="in-line" bind:value={table}>
        <option value="">everything</option>
        {#each ownTables(data.model) as one (one.id)}<option value={one.key}>{one.label}</option>{/each}
      </select></label
    >
    {#await directory then answer}
      {#if answer.ok}
        <label
          >by <select class="in-line" bind:value={person}>
            <option value="">everybody</option>
            <option value="0">somebody outside</option>
            {#each answer.value.items as one (one.id)}<option value={String(one.id)}>{one.name}</option>{/each}
          </select></label
        >
      {/if}
    {/await}
  </p>
  {#if batches === null}
    <p>Reading …</p>
  {:else if batches.length === 0}
    <p>{table || person ? 'Nothing of it has changed yet.' : 'Nothing has changed here yet.'}</p>
  {:else}
    <table class="listing">
      <thead><tr><th>when</th><th>who</th><th>what</th><th></th><th><span class="sr-only">step</span></th></tr></thead>
      <tbody>
        {#each batches as batch (batch.id)}
          <tr class:undone={batch.undoneBy !== null}>
            <td class="short" title={new Date(batch.at).toLocaleString()}>{agoWords(batch.at)}</td><td class="short"
              >{batch.by}</td
            ><td class="title">{batch.title}</td>
            <td class="aside">{batch.undoneBy !== null ? 'undone' : kinds[batch.kind]}</td>
            <td class="actions"
              >{#if batch.structural}<Button
                  kind="quiet"
                  onclick={() => void compare(stepBefore(batch) ?? { ...batch, id: 0 }, batch)}>What it changed</Button
                ><Button kind="quiet" onclick={() => void compare(batch, null)}>Since then</Button><Button
                  kind="quiet"
                  href="/w/{workspace}/weave?at={batch.id}">Structure then</Button
                >{/if}{#if batch.undoneBy === null && data.workspace.may.write}<Button
                  kind="quiet"
                  onclick={() => void plan(batch)}>Undo</Button
                >{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    {#if batches.length === most}<p>The newest {most} steps are shown.</p>{/if}
  {/if}
  <p class="export">
    The structure in open formats: <a data-sveltekit-reload href="/api/workspaces/{workspace}/export?format=structure"
      >JSON, which can be imported again</a
    >
    ·
    <a data-sveltekit-reload href="/api/workspaces/{workspace}/export?format=sql">SQL</a>
    ·
    <a data-sveltekit-reload href="/api/workspaces/{workspace}/export?format=sql&data=true">SQL with all records</a>
    · <a href="/w/{workspace}/package">everything as one package</a>
  </p>
</StagePage>
{#if planned}
  {@const { title, effects, records, standing, possible } = planned}
  <Inspector kind="Undo" {title} onclose={() => (planned = null)}>
    {#if standing.length > 0}
      <p class="refused">
        <b>It cannot be undone by itself:</b>
        {counted(standing.length, 'later change')}
        {standing.length === 1 ? 'stands' : 'stand'} on it.
      </p>
      <ul>
        {#each standing as one (one.batch)}<li>
            {one.title} <span class="soft">{one.by}, {agoWords(one.at)}</span>
          </li>{/each}
      </ul>
      <p class="soft">Undo those first, the latest first.</p>
    {/if}
    {#each records as one (one.table)}
      <p>
        <b>{one.label}</b>:
        {[
          ...(one.back > 0 ? [`${counted(one.back, 'record')} brought back`] : []),
          ...(one.changed > 0 ? [`${counted(one.changed, 'record')} changed back`] : []),
          ...(one.deleted > 0 ? [`${counted(one.deleted, 'record')} deleted`] : []),
        ].join(', ')}
      </p>
    {/each}
    {#if effects.length > 0}
      <h3>Structure</h3>
      {#each effects as effect, index (index)}
        <p>
          {effect.change}{#each effect.counts as { what, count }, at (at)}<br /><span class="soft"
              >{count.toLocaleString()} {what}</span
            >{/each}
        </p>
        {#each effect.breaks as broken, at (at)}<p class="refused"><b>{broken.message}</b> {broken.fix ?? ''}</p>{/each}
      {/each}
    {/if}
    <p class="steps">
      {#if possible}<Button kind="main" onclick={() => planned && void undo(planned)}>Undo this</Button>{/if}
      <Button kind="quiet" onclick={() => (planned = null)}>{possible ? 'Cancel' : 'Close'}</Button>
    </p>
  </Inspector>
{/if}
{#if compared}
  <Inspector kind="What is different in the structure" title={compared.title} onclose={() => (compared = null)}>
    {#each compared.difference as one, index (index)}
      <div class="difference {one.kind}">
        <b>{one.what}</b> <span>{one.kind}</span>
        {#each one.changes as change, index (index)}<p>
            <span>{change.of}:</span>
            {change.before} → <b>{change.now}</b>
          </p>{/each}
      </div>
    {:else}<p>Nothing is different.</p>{/each}
  </Inspector>
{/if}

<style>
  .actions {
    white-space: nowrap;
    text-align: right;
  }
  .steps {
    display: flex;
    gap: 8px;
  }
  .refused {
    color: var(--madder);
  }
  .soft {
    color: var(--ink-soft);
    font-size: 13px;
  }

  .asked {
    display: flex;
    gap: 16px;
    margin-bottom: 8px;
  }
  .title {
    width: 60%;
    min-width: 180px;
  }
  @media (min-width: 800px) {
    .short {
      white-space: nowrap;
    }
  }
  .export {
    margin-top: 16px;
  }
  .export a {
    text-decoration: underline;
  }
  .difference {
    padding: 4px 0 6px 10px;
    margin-bottom: 6px;
    font-size: 13px;
    border-left: 3px solid var(--line-strong);
  }
  .difference span {
    color: var(--ink-faint);
  }
  .added {
    border-color: var(--lichen);
  }
  .removed {
    border-color: var(--madder);
  }
  .changed {
    border-color: var(--weld);
  }
  .undone .title {
    color: var(--ink-faint);
    text-decoration: line-through;
  }
</style>
