<script lang="ts">
  import type { Problem } from '$core/base/problem';
  import type { GroupShown, PersonShown } from '$server/access/directory';
  import { call } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import HomePage from '$ui/frame/HomePage.svelte';
  import { agoWords, counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  let [name, email, post] = $state(['', '', '']);
  let [refused, done] = $state(['', '']);
  let typed = $state('');
  let groupName = $state('');
  /** The group whose people are chosen. */
  let opened = $state<number | null>(null);
  const shown = $derived(
    data.people.filter((one) =>
      `${one.name} ${one.email} ${one.post}`.toLowerCase().includes(typed.trim().toLowerCase()),
    ),
  );
  const said = ({ message, fix }: Problem) => [message, fix].filter(Boolean).join(' ');

  async function send(method: string, path: string, body: unknown, words: string): Promise<boolean> {
    const answer = await call(method, path, body);
    refused = answer.ok ? '' : said(answer.problem);
    done = answer.ok ? words : '';
    await renewed('loom:directory');
    return answer.ok;
  }
  async function add(event: SubmitEvent) {
    event.preventDefault();
    if (
      await send('POST', '/api/people', { name, email, post }, `${name} was written to; the message is in the Outbox.`)
    )
      [name, email, post] = ['', '', ''];
  }
  async function make(event: SubmitEvent) {
    event.preventDefault();
    if (await send('POST', '/api/groups', { label: groupName }, `The group “${groupName}” is made.`)) groupName = '';
  }
  const change = (one: PersonShown, wish: object, words: string) =>
    void send('PATCH', `/api/people/${one.id}`, wish, words);
  function turn(group: GroupShown, person: PersonShown) {
    const now = data.people.filter(({ groups }) => groups.includes(group.id)).map(({ id }) => id);
    const people = now.includes(person.id) ? now.filter((id) => id !== person.id) : [...now, person.id];
    void send('PATCH', `/api/groups/${group.id}`, { people }, '');
  }
</script>

<HomePage
  title="Directory"
  purpose="The organisation's people and groups. Workspaces are given to them."
  who={data.person.name}
>
  <form onsubmit={add} aria-label="Add somebody">
    <label>Name <input class="in-line" bind:value={name} required maxlength="120" /></label>
    <label>Email <input class="in-line" type="email" bind:value={email} required maxlength="200" /></label>
    <label>Post <input class="in-line" bind:value={post} maxlength="120" /></label>
    <Button kind="main" type="submit">Add and invite</Button>
    <a class="outbox" href="/outbox">Outbox</a>
  </form>
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
  {#if done}<p class="done" role="status">{done}</p>{/if}
  <label class="find"
    >Find <input class="in-line" type="search" bind:value={typed} placeholder="a name, address or post" /></label
  >
  <table class="listing">
    <thead
      ><tr
        ><th>{counted(shown.length, 'person', 'people')}</th><th>address</th><th>groups</th><th>last seen</th><th
          >manages the Directory</th
        ><th><span class="sr-only">step</span></th></tr
      ></thead
    >
    <tbody>
      {#each shown as one (one.id)}
        <tr class:out={one.deactivatedAt !== null}>
          <td
            ><b>{one.name}</b>{one.id === data.person.id ? ' (you)' : ''}
            <div class="aside">
              {[one.post, one.deactivatedAt ? 'deactivated' : one.signsIn ? '' : 'no password yet']
                .filter(Boolean)
                .join(' · ')}
            </div></td
          >
          <td>{one.email}</td>
          <td
            >{data.groups
              .filter(({ id }) => one.groups.includes(id))
              .map(({ label }) => label)
              .join(', ')}</td
          >
          <td>{one.seenAt ? agoWords(one.seenAt) : 'never'}</td>
          <td
            ><input
              type="checkbox"
              aria-label="{one.name} manages the Directory"
              checked={one.manages}
              disabled={one.id === data.person.id || one.deactivatedAt !== null}
              onchange={(event) => change(one, { manages: event.currentTarget.checked }, '')}
            /></td
          >
          <td
            >{#if one.id !== data.person.id}<Button
                kind="quiet"
                onclick={() =>
                  change(
                    one,
                    { deactivated: one.deactivatedAt === null },
                    one.deactivatedAt === null ? `${one.name} is out everywhere.` : `${one.name} may sign in again.`,
                  )}
                >{one.deactivatedAt === null ? 'Deactivate' : 'Activate'}<span class="sr-only">
                  {one.name}</span
                ></Button
              >{/if}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>

  <h2>Groups</h2>
  <form onsubmit={make} aria-label="New group">
    <label>Name <input class="in-line" bind:value={groupName} required maxlength="120" /></label>
    <Button type="submit">Make a group</Button>
  </form>
  {#each data.groups as group (group.id)}
    <section>
      <button
        type="button"
        class="group"
        aria-expanded={opened === group.id}
        onclick={() => (opened = opened === group.id ? null : group.id)}
        ><span aria-hidden="true">{opened === group.id ? '▾' : '▸'}</span> <b>{group.label}</b>
        <span class="aside">{counted(group.people, 'person', 'people')}</span></button
      >
      {#if opened === group.id}
        <label class="follows"
          ><input
            type="checkbox"
            checked={group.follows}
            onchange={() => void send('PATCH', `/api/groups/${group.id}`, { follows: !group.follows }, '')}
          />
          The sign-in of the organisation says who is in it</label
        >
        <div class="inside" role="group" aria-label="People of {group.label}">
          {#each data.people.filter(({ deactivatedAt }) => deactivatedAt === null) as one (one.id)}<label
              ><input type="checkbox" checked={one.groups.includes(group.id)} onchange={() => turn(group, one)} />
              {one.name}</label
            >{/each}
        </div>
        <Button
          kind="quiet"
          onclick={() => void send('DELETE', `/api/groups/${group.id}`, undefined, `“${group.label}” is deleted.`)}
          >Delete the group<span class="sr-only"> {group.label}</span></Button
        >
      {/if}
    </section>
  {:else}<p class="soft">
      There is no group yet. A workspace that is given to a group is given to whoever is in it.
    </p>{/each}
</HomePage>

<style>
  .follows {
    display: flex;
    gap: 6px;
    align-items: center;
    margin: 6px 0;
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 16px;
    align-items: center;
    margin-bottom: 14px;
  }
  label {
    color: var(--ink-soft);
  }
  .outbox {
    color: var(--woad);
    text-decoration: underline;
  }
  .find {
    display: block;
    margin-bottom: 8px;
  }
  .refused {
    margin-bottom: 10px;
    color: var(--madder);
  }
  .done {
    margin-bottom: 10px;
    color: var(--lichen);
  }
  .out td {
    color: var(--ink-faint);
  }
  h2 {
    margin: 24px 0 8px;
    font-size: 18px;
  }
  section {
    max-width: 1100px;
    padding: 6px 0;
    border-bottom: 1px solid var(--line);
  }
  .aside,
  .soft {
    color: var(--ink-faint);
    font-size: 13px;
  }
  .inside {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
    gap: 4px 16px;
    padding: 8px 18px;
  }
  @media (max-width: 700px) {
    td:nth-child(2) {
      overflow-wrap: anywhere;
    }
    th:nth-child(3),
    td:nth-child(3),
    th:nth-child(4),
    td:nth-child(4) {
      display: none;
    }
  }
</style>
