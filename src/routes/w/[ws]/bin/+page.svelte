<script lang="ts">
  import { untrack } from 'svelte';
  import { invalidate } from '$app/navigation';
  import type { BinnedThing } from '$server/tables/bin';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import PlanPanel from '$ui/structure/PlanPanel.svelte';
  import type { PlanShown } from '$ui/structure/waiting.svelte';
  import { agoWords } from '$ui/values/words';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  let things = $state.raw<readonly BinnedThing[] | null>(null);
  let cut = $state(false);
  let plan = $state.raw<(PlanShown & { readonly label: string }) | null>(null);
  let busy = $state(false);
  const kinds = { table: 'table', field: 'field', record: 'record' };

  async function read() {
    const answer = await call<{ things: BinnedThing[]; cut: boolean }>('GET', workspacePath(workspace, '/bin'));
    if (!answer.ok) return notices.refused(answer.problem);
    [things, cut] = [answer.value.things, answer.value.cut];
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
    if (answer.value.plan) plan = { ...answer.value.plan, label: thing.label };
    else done(thing.label);
  }

  function done(label: string) {
    plan = null;
    notices.done(`${label} is back.`);
    void read();
  }

  async function apply() {
    if (!plan) return;
    const { id, label } = plan;
    busy = true;
    const answer = await call('POST', workspacePath(workspace, `/plans/${id}/apply`), {}, true);
    busy = false;
    if (!answer.ok) return notices.refused(answer.problem);
    await invalidate('loom:model');
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
    <table>
      <thead><tr><th>what</th><th></th><th>of</th><th>deleted</th><th>by</th><th><span class="sr-only">step</span></th></tr></thead>
      <tbody>
        {#each things as thing (`${thing.kind} ${thing.id} ${thing.kind === 'record' ? thing.table : ''}`)}
          <tr>
            <td><b>{thing.label}</b></td>
            <td class="soft">{kinds[thing.kind]}{thing.kind === 'table' ? `, ${thing.fields} fields` : ''}</td>
            <td>{thing.kind === 'table' ? '' : thing.tableLabel}</td>
            <td title={new Date(thing.at).toLocaleString()}>{agoWords(thing.at)}</td>
            <td>{thing.by}</td>
            <td
              >{#if data.workspace.role === 'administrator' || (thing.kind === 'record' && data.workspace.role === 'editor')}<Button
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
{#if plan}
  <Inspector kind="Plan" title="Bring back {plan.label}" onclose={() => (plan = null)}>
    <PlanPanel effects={plan.effects} possible={plan.possible} {busy} onapply={() => void apply()} onaway={() => (plan = null)} />
  </Inspector>
{/if}

<style>
  table {
    width: 100%;
    max-width: 1000px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  th,
  td {
    padding: 6px 14px;
    text-align: left;
    border-bottom: 1px solid var(--line);
  }
  thead th,
  .soft {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
  }
</style>
