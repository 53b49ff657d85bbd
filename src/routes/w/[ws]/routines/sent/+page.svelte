<script lang="ts">
  import { untrack } from 'svelte';
  import { ownTables } from '$core/model/model';
  import type { OutgoingOut } from '$server/sending/outgoing';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import { PagedList } from '$ui/pagedList.svelte';
  import RoutinesStage from '$ui/routines/RoutinesStage.svelte';
  import { agoWords, counted } from '$ui/values/words';

  /** What routines send: where it goes, whether it arrived, and how often it was tried. */
  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const list = new PagedList<OutgoingOut>((problem) => notices.refused(problem));
  let wanted = $state<'' | OutgoingOut['state']>('');
  const path = $derived(
    workspacePath(workspace, `/outgoing?${new URLSearchParams({ limit: '50', ...(wanted ? { state: wanted } : {}) })}`),
  );
  /** Earlier ones are looked through, so the list stays as it is. */
  let isFar = $state(false);

  $effect(() => {
    void live.count;
    const from = path;
    untrack(() => !isFar && void list.read(from));
  });
  // What is sent changes no record, so nobody says so.
  $effect(() => {
    const timer = setInterval(() => !isFar && void list.read(path), 3_000);
    return () => clearInterval(timer);
  });
  async function again(id: number) {
    const answer = await call('POST', workspacePath(workspace, `/outgoing/${id}/again`));
    if (answer.ok) notices.done('It is sent again.');
    else notices.refused(answer.problem);
    await list.read(path);
  }
  const whatWords = ({ what }: OutgoingOut) =>
    what.kind === 'message' ? `Message to ${recipients(what.to)}: “${what.subject}”` : `Call of ${what.address}`;
  const mostNamed = 3;
  const recipients = (to: readonly string[]) =>
    to.length > mostNamed + 1
      ? `${to.slice(0, mostNamed).join(', ')} and ${(to.length - mostNamed).toLocaleString()} more`
      : to.join(', ');
  const labelOf = (key: string | null) => ownTables(data.model).find((table) => table.key === key)?.label ?? '';
  const stateWords = { waiting: 'waiting', sent: 'sent', failed: 'failed' } as const;
</script>

<svelte:head><title>Sent by routines · {data.workspace.label} · Inner Loom</title></svelte:head>
<RoutinesStage side="sent">
  <p class="asked">
    <label
      >show
      <select class="in-line" bind:value={wanted} onchange={() => (isFar = false)}>
        <option value="">everything</option>
        <option value="waiting">what waits</option>
        <option value="failed">what failed</option>
        <option value="sent">what was sent</option>
      </select></label
    >
    <a href="/outbox">Outbox</a>
  </p>
  {#if !list.isRead}
    <p>Reading …</p>
  {:else if list.items.length === 0}
    <p class="soft">Nothing {wanted === '' ? 'was sent yet' : 'of this kind'}.</p>
  {:else}
    <ol class="log">
      {#each list.items as one (one.id)}
        <li>
          <time datetime={one.at} title={new Date(one.at).toLocaleString()}>{agoWords(one.at)}</time>
          <b class={one.state}>{stateWords[one.state]}</b>
          <span class="what">
            {whatWords(one)}<br />
            <span class="soft"
              >by “{one.label}”{#if one.table}, about <a href="/w/{workspace}/t/{one.table}/r/{one.record}"
                  >{labelOf(one.table)} #{one.record}</a
                >{/if}{one.tries > 0 ? ` · ${counted(one.tries, 'try', 'tries')}` : ''}{one.answer
                ? ` · ${one.answer}`
                : ''}</span
            >
          </span>
          {#if one.state !== 'sent'}
            <Button kind="quiet" label="Send number {one.id} again" onclick={() => void again(one.id)}
              >Send again</Button
            >
          {:else}<span></span>{/if}
          <details>
            <summary>what is sent</summary>
            {#if one.what.kind === 'message'}<p class="soft">to {one.what.to.join(', ')}</p>{/if}
            <pre>{one.what.kind === 'message' ? one.what.text : one.what.body}</pre>
          </details>
        </li>
      {/each}
    </ol>
    {#if list.next !== null}<Button onclick={() => ((isFar = true), void list.read(path, true))}
        >Show earlier ones</Button
      >{/if}
  {/if}
</RoutinesStage>

<style>
  .asked {
    display: flex;
    gap: 16px;
    align-items: baseline;
    margin-bottom: 10px;
  }
  a {
    color: var(--woad);
    text-decoration: underline;
  }
  .log {
    max-width: 1100px;
  }
  @media (min-width: 701px) {
    li {
      grid-template-columns: 110px 70px 1fr auto;
    }
  }
  .soft {
    color: var(--ink-soft);
  }
  .what {
    overflow-wrap: anywhere;
  }
  .failed {
    color: var(--madder);
  }
  .waiting {
    color: var(--weld);
  }
  details {
    grid-column: 1 / -1;
  }
  summary {
    color: var(--woad);
    cursor: pointer;
  }
  pre {
    max-height: 240px;
    overflow: auto;
    font: 12px var(--mono);
    white-space: pre-wrap;
  }
</style>
