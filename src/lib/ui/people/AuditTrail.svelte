<script lang="ts">
  import { say } from '$core/base/say';
  import { untrack } from 'svelte';
  import { auditKinds, type AuditKind } from '$core/access/audit';
  import { workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { PagedList } from '../pagedList.svelte';

  /** What happened to the access of a workspace, newest first; it cannot be changed. */
  const { workspace, changes }: { workspace: string; changes: number } = $props();
  const { notices } = useFrame();

  interface Line {
    readonly id: number;
    readonly at: string;
    readonly by: string;
    readonly words: string;
  }
  const kindWords: Readonly<Record<AuditKind, string>> = {
    signedIn: 'sign-ins',
    signInFailed: 'sign-ins that failed',
    exported: 'exports',
    memberAdded: 'people added',
    memberChanged: 'roles changed',
    memberRemoved: 'people removed',
    personAdded: 'people added to the Directory',
    personDeactivated: 'people deactivated',
    personActivated: 'people activated again',
    passwordSet: 'passwords set',
    factorSet: 'second factors set up',
    factorRemoved: 'second factors removed',
    groupMade: 'groups made',
    groupChanged: 'groups changed',
    groupDeleted: 'groups deleted',
    sawAs: 'looks as somebody else',
    tokenMade: 'tokens made',
    tokenRevoked: 'tokens revoked',
    webhookMade: 'webhooks made',
    webhookChanged: 'webhooks changed',
    webhookDeleted: 'webhooks deleted',
    analystMade: 'ways into the database made',
    analystDeleted: 'ways into the database deleted',
    tablesTakenOver: 'private tables taken over',
  };
  let kind = $state('');
  const lines = new PagedList<Line>((problem) => notices.refused(problem));
  const asked = $derived(kind === '' ? '' : `kind=${kind}&`);
  const path = $derived(workspacePath(workspace, `/audit?${asked}limit=50`));
  $effect(() => {
    void changes;
    const from = path;
    untrack(() => void lines.read(from));
  });
</script>

<h2>Audit trail</h2>
<div class="ask">
  <label
    >Show
    <select class="in-line" bind:value={kind} aria-label="What the audit trail shows"
      ><option value="">everything</option>{#each auditKinds as one (one)}<option value={one}
          >{say(kindWords[one])}</option
        >{/each}</select
    ></label
  >
  <a href="/api/workspaces/{workspace}/audit?{asked}format=csv&limit=1000" data-sveltekit-reload
    >The newest 1,000 as CSV</a
  >
</div>
{#if lines.items.length === 0}
  <p>Nothing of this has happened yet.</p>
{:else}
  <ol>
    {#each lines.items as { id, at, by, words } (id)}
      <li><time datetime={at}>{new Date(at).toLocaleString()}</time> <b>{by}</b> {words}</li>
    {/each}
  </ol>
  {#if lines.next !== null}<Button onclick={() => void lines.read(path, true)}>Show earlier ones</Button>{/if}
{/if}

<style>
  h2 {
    margin-top: 26px;
    font-size: 17px;
  }
  .ask {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 18px;
    align-items: center;
    margin: 6px 0 10px;
  }
  .ask a {
    color: var(--woad);
    font-size: 13px;
    text-decoration: underline;
  }
  ol {
    max-width: 1100px;
    margin-bottom: 10px;
    font-size: 13px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  li {
    padding: 5px 14px;
    overflow-wrap: anywhere;
    border-bottom: 1px solid var(--line);
  }
  time {
    display: inline-block;
    min-width: 170px;
    color: var(--ink-faint);
  }
</style>
