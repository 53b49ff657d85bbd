<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import type { GroupMember, Member } from '$server/access/members';
  import type { RoleShown } from '$server/access/roles';
  import type { GroupShown } from '$server/access/directory';
  import type { DirectoryEntry } from '$server/access/directory';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';
  import AuditTrail from '$ui/people/AuditTrail.svelte';
  import GroupsIn from '$ui/people/GroupsIn.svelte';
  import LeftBehind from '$ui/people/LeftBehind.svelte';
  import { seeAs } from '$ui/frame/seeAs';
  import { roleWords } from '$ui/people/roleWords';
  import { agoWords, counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const administers = $derived(data.workspace.may.people);
  let members = $state.raw<readonly Member[] | null>(null);
  let directory = $state.raw<readonly DirectoryEntry[]>([]);
  let chosen = $state('');
  let role = $state('editor');
  let groups = $state.raw<readonly GroupMember[]>([]);
  let allGroups = $state.raw<readonly GroupShown[]>([]);
  let roles = $state.raw<readonly RoleShown[]>([]);
  const roleChoices = $derived(roles.filter(({ givable }) => givable));
  /** Read anew after each change of ours. */
  let changes = $state(0);
  const others = $derived(directory.filter(({ id }) => !members?.some((one) => one.id === id && one.via === null)));

  async function read() {
    const [in_, all, given, known, named] = await Promise.all([
      call<{ items: Member[] }>('GET', workspacePath(workspace, '/members')),
      call<{ items: DirectoryEntry[] }>('GET', workspacePath(workspace, '/directory')),
      call<{ items: GroupMember[] }>('GET', workspacePath(workspace, '/groups')),
      ...(administers
        ? [
            call<{ items: GroupShown[] }>('GET', '/api/groups'),
            call<{ items: RoleShown[] }>('GET', workspacePath(workspace, '/roles')),
          ]
        : []),
    ] as const);
    if (!in_.ok) return notices.refused(in_.problem);
    members = in_.value.items;
    if (all.ok) directory = all.value.items;
    if (given.ok) groups = given.value.items;
    if (known?.ok) allGroups = known.value.items as readonly GroupShown[];
    if (named?.ok) roles = named.value.items as readonly RoleShown[];
    // Whoever may give less begins with what they may give.
    if (!roleChoices.some(({ id }) => id === role)) role = roleChoices.at(-1)?.id ?? role;
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

  const labelOf = (id: string): string => roles.find((one) => one.id === id)?.label.toLowerCase() ?? id;
  let address = $state('');
  async function inviteByAddress(event: SubmitEvent) {
    event.preventDefault();
    const answer = await call<Member>('POST', workspacePath(workspace, '/invitations'), { email: address, role });
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`${answer.value.name} is in, and was written to: the message is in the Outbox.`);
    address = '';
    changes++;
  }

  async function give(member: Member, to: string) {
    await send('PATCH', `/${member.id}`, { role: to }, `${member.name} is ${labelOf(to)} now.`);
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
  {:else if administers && members !== null}
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
          >{#each roleChoices as { id, label } (id)}<option value={id}>{roleWords(id, label)}</option>{/each}</select
        ></label
      >
      <Button kind="main" type="submit" disabled={chosen === ''}>Add</Button>
    </form>
  {/if}
  {#if administers && members !== null}
    <form class="add" onsubmit={inviteByAddress} aria-label="Invite somebody by address">
      <label
        >Or invite <input
          class="in-line"
          type="email"
          bind:value={address}
          placeholder="an email address"
          aria-label="Address of the person to invite"
          required
        /></label
      >
      <span>as {labelOf(role)}</span>
      <Button type="submit" disabled={address === ''}>Invite</Button>
      <a class="outbox" href="/outbox">Outbox</a>
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
                  onchange={(event) => void give(member, event.currentTarget.value)}
                  >{#each roles.filter(({ id, givable }) => givable || id === member.role) as { id, label } (id)}<option
                      value={id}>{label}</option
                    >{/each}</select
                >
              {:else}{roleWords(member.role, member.roleLabel)}{/if}
              {#if member.via}<div class="aside">by the group {member.via}</div>{/if}
            </td>
            <td title={new Date(member.since).toLocaleString()}>{new Date(member.since).toLocaleDateString()}</td>
            <td>{member.seenAt ? agoWords(member.seenAt) : 'never'}</td>
            <td
              >{#if administers && !isMe}<Button
                  kind="quiet"
                  onclick={() => void seeAs(workspace, { person: member.id }, notices)}
                  >See as<span class="sr-only"> {member.name}</span></Button
                >{/if}{#if (administers || isMe) && member.via === null}<Button
                  kind={going === member.id ? 'danger' : 'quiet'}
                  onclick={() => void remove(member)}
                  >{stepWords(member, isMe)}<span class="sr-only"> {isMe ? 'the workspace' : member.name}</span></Button
                >{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
  {#if members !== null}
    <GroupsIn {workspace} {groups} all={allGroups} roles={roleChoices} {administers} onchanged={() => changes++} />
  {/if}
  {#if administers}
    <LeftBehind {workspace} {changes} onchanged={() => changes++} />
    <p class="roles"><a href="/w/{workspace}/people/roles">Roles: what each may see and do</a></p>
    <AuditTrail {workspace} {changes} />
  {/if}
</StagePage>

<style>
  .outbox {
    color: var(--woad);
    text-decoration: underline;
  }
  .roles {
    margin: 18px 0;
  }
  .roles a {
    color: var(--woad);
    text-decoration: underline;
  }
  .add {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: center;
    margin-bottom: 16px;
  }
  @media (max-width: 700px) {
    th:nth-child(2),
    td:nth-child(2),
    th:nth-child(4),
    td:nth-child(4),
    th:nth-child(5),
    td:nth-child(5) {
      display: none;
    }
  }
</style>
