<script lang="ts">
  import { untrack } from 'svelte';
  import { Input } from 'flowbite-svelte';
  import type { AnalystShown } from '$server/analysts/analysts';
  import type { RoleShown } from '$server/access/roles';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { roleWords } from '../people/roleWords';
  import { counted } from '../values/words';
  import ShownOnce from '../controls/ShownOnce.svelte';

  /** Read-only ways into the database, for those who analyse with tools of their own. */
  const { workspace }: { workspace: string } = $props();
  const { notices } = useFrame();
  let analysts = $state.raw<readonly AnalystShown[] | null>(null);
  let roles = $state.raw<readonly RoleShown[]>([]);
  let label = $state('');
  let role = $state('reader');
  let names = $state('labels');
  let secret = $state<{ label: string; address: string } | null>(null);
  let going = $state<number | null>(null);

  async function read() {
    const [all, known] = await Promise.all([
      call<{ items: AnalystShown[] }>('GET', workspacePath(workspace, '/analysts')),
      call<{ items: RoleShown[] }>('GET', workspacePath(workspace, '/roles')),
    ]);
    if (!all.ok) return notices.refused(all.problem);
    analysts = all.value.items;
    if (known.ok) roles = known.value.items.filter((one) => one.givable && one.workspace.includes('takeOut'));
  }
  $effect(() => untrack(() => void read()));

  async function make(event: SubmitEvent) {
    event.preventDefault();
    const answer = await call<AnalystShown & { address: string }>('POST', workspacePath(workspace, '/analysts'), {
      label,
      role,
      names,
    });
    if (!answer.ok) return notices.refused(answer.problem);
    secret = { label, address: answer.value.address };
    label = '';
    await read();
  }
  async function remove({ id, label: name }: AnalystShown) {
    if (going !== id) return void (going = id);
    going = null;
    const answer = await call('DELETE', workspacePath(workspace, `/analysts/${id}`));
    if (answer.ok) notices.done(`${name} has no way into the database any more.`);
    else notices.refused(answer.problem);
    await read();
  }
</script>

<h2>Database access</h2>
<p class="about">
  A read-only role of the database, for analysing with psql, a notebook or a reporting tool: it sees this workspace as
  tables, with the records and fields that one of the roles here sees.
</p>
<form class="asking" onsubmit={make} aria-label="New way into the database">
  <label>For <Input class="py-1.5" bind:value={label} placeholder="who it is for" maxlength={120} required /></label>
  <label
    >Sees what is seen by
    <select class="in-line" bind:value={role} aria-label="Role of the way into the database"
      >{#each roles as { id, label: name } (id)}<option value={id}>{roleWords(id, name)}</option>{/each}</select
    ></label
  >
  <label
    >Tables and columns are called by
    <select class="in-line" bind:value={names} aria-label="Names in the database"
      ><option value="labels">their labels</option><option value="keys">their keys</option></select
    ></label
  >
  <Button kind="main" type="submit">Make a way in</Button>
</form>
{#if secret}
  <ShownOnce
    words="This is the address for {secret.label}, with its password. It is shown only now."
    text={secret.address}
    done={() => (secret = null)}
  />
{/if}
{#if analysts?.length === 0}
  <p>There are none yet.</p>
{:else if analysts}
  <table class="listing">
    <thead
      ><tr
        ><th>for</th><th>sees what is seen by</th><th>names</th><th>made by</th><th>connected now</th><th
          ><span class="sr-only">step</span></th
        ></tr
      ></thead
    >
    <tbody>
      {#each analysts as one (one.id)}
        <tr>
          <td
            ><b>{one.label}</b>
            <div class="login">{one.login}</div></td
          >
          <td>{roleWords(one.role, one.roleLabel)}</td>
          <td>{one.names}</td>
          <td>{one.by}, {new Date(one.madeAt).toLocaleDateString()}</td>
          <td>{one.connected === 0 ? 'no' : counted(one.connected, 'connection')}</td>
          <td
            ><Button kind={going === one.id ? 'danger' : 'quiet'} onclick={() => void remove(one)}
              >{going === one.id ? 'Really take away' : 'Take away'}<span class="sr-only">
                from {one.label}</span
              ></Button
            ></td
          >
        </tr>
      {/each}
    </tbody>
  </table>
{/if}

<style>
  h2 {
    margin-top: 26px;
    font-size: 17px;
  }
  .about {
    max-width: 760px;
    margin-bottom: 10px;
    color: var(--ink-soft);
  }
  .login {
    overflow-wrap: anywhere;
    color: var(--ink-faint);
    font: 12px var(--mono);
  }
  @media (max-width: 700px) {
    th:nth-child(3),
    td:nth-child(3),
    th:nth-child(4),
    td:nth-child(4),
    th:nth-child(5),
    td:nth-child(5) {
      display: none;
    }
  }
</style>
