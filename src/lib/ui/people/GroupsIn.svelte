<script lang="ts">
  import type { GroupMember } from '$server/access/members';
  import type { GroupShown } from '$server/access/directory';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { counted } from '../values/words';
  import { roleWords, type RoleChoice } from './roleWords';

  /** The groups that a workspace is given to: whoever is in one is in the workspace. */
  const {
    workspace,
    groups,
    all,
    roles,
    administers,
    onchanged,
  }: {
    workspace: string;
    groups: readonly GroupMember[];
    /** Those of the Directory. */
    all: readonly GroupShown[];
    roles: readonly RoleChoice[];
    administers: boolean;
    onchanged: () => void;
  } = $props();
  const { notices } = useFrame();
  const others = $derived(all.filter(({ id }) => !groups.some((one) => one.id === id)));
  let chosen = $state('');
  let role = $state('reader');

  async function send(method: string, id: string | number, body: unknown, done: string) {
    const answer = await call(method, workspacePath(workspace, `/groups/${id}`), body);
    if (answer.ok) notices.done(done);
    else notices.refused(answer.problem);
    onchanged();
  }
  function give(event: SubmitEvent) {
    event.preventDefault();
    const group = others.find(({ id }) => String(id) === chosen);
    if (!group) return;
    chosen = '';
    void send('PUT', group.id, { role }, `${group.label}: ${counted(group.people, 'person is', 'people are')} in.`);
  }
</script>

{#if groups.length > 0 || (administers && all.length > 0)}
  <h2>Groups</h2>
  {#if administers && others.length > 0}
    <form onsubmit={give} aria-label="Give the workspace to a group">
      <label
        >Give it to
        <select class="in-line" bind:value={chosen} aria-label="Group to give it to" required
          ><option value="">choose a group</option>{#each others as { id, label, people } (id)}<option
              value={String(id)}>{label}, {counted(people, 'person', 'people')}</option
            >{/each}</select
        ></label
      >
      <label
        >as
        <select class="in-line" bind:value={role} aria-label="Role of the group"
          >{#each roles as { id, label } (id)}<option value={id}>{label}</option>{/each}</select
        ></label
      >
      <Button type="submit" disabled={chosen === ''}>Give</Button>
    </form>
  {/if}
  {#if groups.length > 0}
    <table class="listing">
      <thead
        ><tr><th>group</th><th>people</th><th>role</th><th>since</th><th><span class="sr-only">step</span></th></tr
        ></thead
      >
      <tbody>
        {#each groups as group (group.id)}<tr>
            <td
              ><b>{group.label}</b>
              <div class="aside">{group.description}</div></td
            >
            <td>{group.people.toLocaleString()}</td>
            <td
              >{#if administers}<select
                  class="in-line"
                  aria-label="Role of {group.label}"
                  value={group.role}
                  onchange={(event) =>
                    void send(
                      'PUT',
                      group.id,
                      { role: event.currentTarget.value },
                      `${group.label} has another role now.`,
                    )}
                  >{#each roles as { id, label } (id)}<option value={id}>{label}</option>{/each}</select
                >{:else}{roleWords(group.role, group.roleLabel)}{/if}</td
            >
            <td title={new Date(group.since).toLocaleString()}>{new Date(group.since).toLocaleDateString()}</td>
            <td
              >{#if administers}<Button
                  kind="quiet"
                  onclick={() => void send('DELETE', group.id, undefined, `${group.label} is out.`)}
                  >Take away<span class="sr-only"> from {group.label}</span></Button
                >{/if}</td
            >
          </tr>{/each}
      </tbody>
    </table>
  {/if}
{/if}

<style>
  h2 {
    margin: 22px 0 8px;
    font-size: 16px;
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: center;
    margin-bottom: 12px;
  }
  @media (max-width: 700px) {
    th:nth-child(2),
    td:nth-child(2),
    th:nth-child(4),
    td:nth-child(4) {
      display: none;
    }
  }
</style>
