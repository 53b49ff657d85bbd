<script lang="ts">
  import { untrack } from 'svelte';
  import type { BatchOut } from '$server/tables/undo';
  import Button from '$ui/controls/Button.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { call, workspacePath } from '$ui/api';
  import { useFrame } from '$ui/frame/context';
  import { agoWords } from '$ui/values/words';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const most = 100;
  let batches = $state<readonly BatchOut[] | null>(null);
  const kinds: Record<string, string> = { edit: 'records', plan: 'structure', load: 'intake', undo: 'taken back' };

  async function read() {
    const answer = await call<{ batches: BatchOut[] }>('GET', workspacePath(workspace, `/history?limit=${most}`));
    if (answer.ok) batches = answer.value.batches;
    else notices.refused(answer.problem);
  }
  $effect(() => (live.count, untrack(() => void read())));

  async function undo(batch: BatchOut) {
    const answer = await call('POST', workspacePath(workspace, `/batches/${batch.id}/undo`));
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`Taken back: ${batch.title}.`);
    await read();
  }
</script>

<svelte:head><title>History · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage title="History" purpose="Every edit, plan and intake as one step that can be taken back when nothing later stands on it.">
  {#if batches === null}
    <p>Reading …</p>
  {:else if batches.length === 0}
    <p>Nothing has changed here yet.</p>
  {:else}
    <table>
      <thead><tr><th>when</th><th>who</th><th>what</th><th></th><th><span class="sr-only">step</span></th></tr></thead>
      <tbody>
        {#each batches as batch (batch.id)}
          <tr class:undone={batch.undoneBy !== null}>
            <td title={new Date(batch.at).toLocaleString()}>{agoWords(batch.at)}</td><td>{batch.by}</td><td class="title">{batch.title}</td>
            <td class="kind">{batch.undoneBy !== null ? 'taken back' : kinds[batch.kind]}</td>
            <td
              >{#if batch.undoneBy === null && data.workspace.role !== 'reader'}<Button kind="quiet" onclick={() => void undo(batch)}>Take back</Button
                >{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    {#if batches.length === most}<p>The newest {most} steps are shown.</p>{/if}
  {/if}
</StagePage>

<style>
  table {
    width: 100%;
    max-width: 1100px;
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
  .kind {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
  }
  .title {
    width: 60%;
  }
  .undone .title {
    color: var(--ink-faint);
    text-decoration: line-through;
  }
</style>
