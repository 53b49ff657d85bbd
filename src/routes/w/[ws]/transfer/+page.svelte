<script lang="ts">
  import { say } from '$core/base/say';
  import { untrack } from 'svelte';
  import { workNames, works } from '$core/transfer/works';
  import type { WorkName } from '$core/types/transfer';
  import { call, workspacePath } from '$ui/api';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { agoWords } from '$ui/values/words';
  import { workUis } from '$ui/transfer/works';

  const { data } = $props();
  const { live } = useFrame();
  const workspace = $derived(data.workspace.key);
  const root = $derived(`/w/${workspace}/transfer`);
  interface Line {
    readonly id: number;
    readonly madeAt: string;
    readonly title: string;
    readonly work: WorkName;
    readonly batch: number | null;
  }
  let lines = $state.raw<readonly Line[] | null>(null);
  let more = $state(false);
  $effect(() => {
    void live.count;
    untrack(() => {
      void call<{ items: Line[]; next: number | null }>('GET', workspacePath(workspace, '/transfers?limit=30')).then(
        (answer) => {
          if (answer.ok) [lines, more] = [answer.value.items, answer.value.next !== null];
        },
      );
    });
  });
</script>

<svelte:head><title>Transfer · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title="Transfer"
  purpose="Work on data that stands: planned and tried before it is done, with a receipt, and undone whole."
>
  <ul class="works">
    {#each workNames as name (name)}
      {@const Icon = workUis[name].icon}
      <li>
        <a href="{root}/{name}"><Icon size={18} /><b>{say(works[name].label)}</b><span>{say(works[name].help)}</span></a
        >
      </li>
    {/each}
  </ul>
  {#if lines && lines.length > 0}
    <h2>Your transfers</h2>
    <table class="listing">
      <tbody>
        {#each lines as { id, title, madeAt, work, batch } (id)}
          <tr>
            <td><a href="{root}/{work}?id={id}">{title}</a></td>
            <td>{batch === null ? 'not done' : 'done'}</td>
            <td class="soft">{agoWords(madeAt)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if more}<p class="soft">The newest 30 are shown.</p>{/if}
  {/if}
</StagePage>

<style>
  .works {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(280px, 1fr));
    gap: 10px;
    max-width: 1100px;
  }
  .works a {
    display: grid;
    grid-template-columns: 24px 1fr;
    gap: 2px 8px;
    align-items: center;
    height: 100%;
    padding: 12px 14px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .works a:hover {
    border-color: var(--woad);
  }
  .works span {
    grid-column: 2;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .works :global(svg) {
    color: var(--woad);
  }
  h2 {
    margin: 24px 0 8px;
    font-size: 16px;
  }
  .soft {
    color: var(--ink-faint);
  }
</style>
