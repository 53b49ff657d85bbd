<script lang="ts">
  import { untrack } from 'svelte';
  import type { BinnedThing } from '$server/history/bin';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import PlanPanel from '$ui/structure/PlanPanel.svelte';
  import { WaitingChanges, type PlanShown } from '$ui/structure/waiting.svelte';
  import { agoWords, counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  let things = $state.raw<readonly BinnedThing[] | null>(null);
  let cut = $state(false);
  let label = $state('');
  const waiting = new WaitingChanges(
    () => data.workspace.key,
    'bin',
    () => data.model,
  );
  const kinds = { table: 'table', field: 'field', record: 'record' };

  async function read() {
    const answer = await call<{ items: BinnedThing[]; cut: boolean }>('GET', workspacePath(workspace, '/bin'));
    if (!answer.ok) return notices.refused(answer.problem);
    [things, cut] = [answer.value.items, answer.value.cut];
  }
  $effect(() => (live.count, untrack(() => void read())));

  async function restore(thing: BinnedThing) {
    const answer = await call<{ batch?: number; plan?: PlanShown }>('POST', workspacePath(workspace, '/bin/restore'), {
      kind: thing.kind,
      id: thing.id,
      batch: thing.batch,
      ...(thing.kind === 'record' ? { table: thing.table } : {}),
    });
    if (!answer.ok) return notices.refused(answer.problem);
    if (answer.value.plan) [waiting.plan, label] = [answer.value.plan, thing.label];
    else done(thing.label);
  }

  function done(back: string) {
    notices.done(`${back} is back.`);
    void read();
  }

  async function apply() {
    if (!(await waiting.apply())) {
      if (waiting.refused) notices.refused(waiting.refused);
      return;
    }
    await renewed('loom:model');
    done(label);
  }
</script>

<svelte:head><title>Bin · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage title="Bin" purpose="What was deleted keeps its values and its links here until it is brought back.">
  {#if things === null}
    <p>Reading …</p>
  {:else if things.length === 0}
    <p>Nothing was deleted here.</p>
  {:else}
    <table class="listing">
      <thead
        ><tr><th>what</th><th></th><th>of</th><th>deleted</th><th>by</th><th><span class="sr-only">step</span></th></tr
        ></thead
      >
      <tbody>
        {#each things as thing (`${thing.kind} ${thing.id} ${thing.kind === 'record' ? thing.table : ''}`)}
          <tr>
            <td><b>{thing.label}</b></td>
            <td class="aside"
              >{kinds[thing.kind]}{thing.kind === 'table' ? `, ${counted(thing.fields, 'field')}` : ''}</td
            >
            <td>{thing.kind === 'table' ? '' : thing.tableLabel}</td>
            <td title={new Date(thing.at).toLocaleString()}>{agoWords(thing.at)}</td>
            <td>{thing.by}</td>
            <td
              >{#if data.workspace.may.design || (thing.kind === 'record' && data.workspace.may.write)}<Button
                  kind="quiet"
                  onclick={() => void restore(thing)}>Bring back</Button
                >{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    {#if cut}<p>The newest {things.length} are shown.</p>{/if}
  {/if}
</StagePage>
{#if waiting.plan}
  <Inspector kind="Plan" title="{label} back from the bin" onclose={() => waiting.throwAway()}>
    <PlanPanel {waiting} plan={waiting.plan} onapply={() => void apply()} onaway={() => waiting.throwAway()} />
  </Inspector>
{/if}
