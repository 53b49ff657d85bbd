<script lang="ts">
  import { untrack } from 'svelte';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { counted } from '$ui/values/words';

  /** The summaries one has: pages of numbers, charts and lists. */
  interface Listed {
    readonly id: string;
    readonly label: string;
    readonly description: string;
    readonly personal: boolean;
    readonly groups: readonly number[];
    readonly blocks: number;
  }
  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  let all = $state.raw<readonly Listed[] | null>(null);
  async function read(of: string) {
    const answer = await call<{ items: Listed[] }>('GET', workspacePath(of, '/summaries'));
    if (answer.ok) all = answer.value.items;
    else notices.refused(answer.problem);
  }
  $effect(() => {
    void live.count;
    const of = workspace;
    untrack(() => void read(of));
  });
</script>

<svelte:head><title>Summaries · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title="Summaries"
  purpose="Pages of numbers, charts, tables and lists over this workspace, always as its records are now."
>
  {#if all === null}
    <p>Reading …</p>
  {:else if all.length === 0}
    <p>No summary yet. Add one, then choose what each of its blocks counts or adds up.</p>
  {/if}
  <ul>
    {#each all ?? [] as { id, label, description, personal, groups, blocks } (id)}
      <li>
        <a href="/w/{workspace}/summaries/{id}">{label}</a>
        <span class="soft"
          >{counted(blocks, 'block')} · {personal
            ? 'you alone'
            : groups.length > 0
              ? 'for chosen groups'
              : 'everybody'}</span
        >
        {#if description}<p>{description}</p>{/if}
      </li>
    {/each}
  </ul>
  <Button kind="main" href="/w/{workspace}/summaries/new">New summary</Button>
</StagePage>

<style>
  ul {
    max-width: 760px;
    margin-bottom: 18px;
  }
  li {
    padding: 10px 0;
    border-bottom: 1px solid var(--line);
  }
  a {
    margin-right: 10px;
    color: var(--woad);
    font-size: 16px;
    font-weight: 600;
  }
  .soft,
  p {
    color: var(--ink-soft);
    font-size: 13px;
  }
</style>
