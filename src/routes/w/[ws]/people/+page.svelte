<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import type { Member } from '$server/access/members';
  import type { DirectoryEntry } from '$server/access/directory';
  import type { Role } from '$server/database/catalogue';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';
  import AuditTrail from '$ui/people/AuditTrail.svelte';
  import { roleChoices } from '$ui/people/roleWords';
  import { agoWords, counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const administers = $derived(data.workspace.role === 'administrator');
  let members = $state.raw<readonly Member[] | null>(null);
  let directory = $state.raw<readonly DirectoryEntry[]>([]);
  let chosen = $state('');
  let role = $state<Role>('editor');
  /** Read anew after each change of ours. */
  let changes = $state(0);
  const others = $derived(directory.filter(({ id }) => !members?.some((one) => one.id === id)));

  async function read() {
    const [in_, all] = await Promise.all([
      call<{ items: Member[] }>('GET', workspacePath(workspace, '/members')),
      call<{ people: DirectoryEntry[] }>('GET', workspacePath(workspace, '/directory')),
    ]);
    if (!in_.ok) return notices.refused(in_.problem);
    members = in_.value.items;
    if (all.ok) directory = all.value.people;
  }
  $effect(() => {
    void live.count;
    void changes;
    untrack(() => void read());
  });

  async function send(method: string, rest: string, body: unknown, done: string): Promise<boolean> {
    const answer = await call(method, workspacePath(workspace, `/members${rest}`), body);
    if (answer.ok) notices.done(done);
    else notices.refused(answer.problem);
    changes++;
    return answer.ok;
  }

  async function add(event: SubmitEvent) {
    event.preventDefault();
    const person = others.find(({ id }) => String(id) === chosen);
    if (!person) return;
    if (await send('POST', '', { person: person.id, role }, `${person.name} is in.`)) chosen = '';
  }

  async function give(member: Member, to: Role) {
    await send('PATCH', `/${member.id}`, { role: to }, `${member.name} is ${to} now.`);
    if (member.email === data.person.email) await renewed('loom:model');
  }

  /** Who is about to go: the first click asks, the second does it. */
  let going = $state<number | null>(null);
  const stepWords = ({ id }: Member, isMe: boolean): string =>
    going === id ? (isMe ? 'Really leave' : 'Really remove') : isMe ? 'Leave' : 'Remove';
  async function remove(member: Member) {
    if (going !== member.id) {
      going = member.id;
      return;
    }
    going = null;
    const isMe = member.email === data.person.email;
    if (!(await send('DELETE', `/${member.id}`, undefined, `${member.name} is out.`))) return;
    if (isMe) await goto('/');
  }
</script>

<svelte:head><title>People · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage title="People" purpose="Who is in this workspace, and what they may do.">
  {#if administers && members !== null && others.length === 0}
    <p>Everybody of the Directory is in.</p>
  {:else if administers}
    <form class="add" onsubmit={add} aria-label="Add somebody">
      <label
        >Add
        <select class="in-line" bind:value={chosen} aria-label="Person to add" required
          ><option value="">choose a person</option>{#each others as { id, name, post, email } (id)}<option
              value={String(id)}>{name}, {post || email}</option
            >{/each}</select
        ></label
      >
      <label
        >as
        <select class="in-line" bind:value={role} aria-label="Role of the person to add"
          >{#each roleChoices as { value, name } (value)}<option {value}>{name}</option>{/each}</select
        ></label
      >
      <Button kind="main" type="submit" disabled={chosen === ''}>Add</Button>
    </form>
  {/if}
  {#if members === null}
    <p>Reading …</p>
  {:else}
    <table class="listing">
      <thead
        ><tr
          ><th>{counted(members.length, 'person', 'people')}</th><th>address</th><th>role</th><th>since</th><th
            >last seen</th
          ><th><span class="sr-only">step</span></th></tr
        ></thead
      >
      <tbody>
        {#each members as member (member.id)}
          {@const isMe = member.email === data.person.email}
          <tr>
            <td
              ><b>{member.name}</b>{isMe ? ' (you)' : ''}
              <div class="aside">{member.post}</div></td
            >
            <td>{member.email}</td>
            <td>
              {#if administers}
                <select
                  class="in-line"
                  aria-label="Role of {member.name}"
                  value={member.role}
                  onchange={(event) => void give(member, event.currentTarget.value as Role)}
                  >{#each roleChoices as { value, name } (value)}<option {value}>{name}</option>{/each}</select
                >
              {:else}{member.role}{/if}
            </td>
            <td title={new Date(member.since).toLocaleString()}>{new Date(member.since).toLocaleDateString()}</td>
            <td>{member.seenAt ? agoWords(member.seenAt) : 'never'}</td>
            <td
              >{#if administers || isMe}<Button
                  kind={going === member.id ? 'danger' : 'quiet'}
                  onclick={() => void remove(member)}
                  >{stepWords(member, isMe)}<span class="sr-only"> {isMe ? 'the workspace' : member.name}</span></Button
                >{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    <dl>
      {#each roleChoices as { value, name, may } (value)}<div>
          <dt>{name}</dt>
          <dd>{may}</dd>
        </div>{/each}
    </dl>
  {/if}
  {#if administers}<AuditTrail {workspace} {changes} />{/if}
</StagePage>

<style>
  .add {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: center;
    margin-bottom: 16px;
  }
  dl {
    margin: 10px 0 0;
    color: var(--ink-soft);
    font-size: 13px;
  }
  dl div {
    display: flex;
    gap: 8px;
  }
  dt {
    min-width: 96px;
    font-weight: 600;
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
