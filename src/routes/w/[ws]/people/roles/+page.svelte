<script lang="ts">
  import { untrack } from 'svelte';
  import type { RoleJson } from '$core/access/roleJson';
  import type { Member } from '$server/access/members';
  import type { RoleShown } from '$server/access/roles';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';
  import RoleForm from '$ui/people/RoleForm.svelte';
  import { seeAs } from '$ui/frame/seeAs';
  import { counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const { notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  let roles = $state.raw<readonly RoleShown[]>([]);
  let members = $state.raw<readonly Member[]>([]);
  /** The role that is shown; null for one that is being made. */
  let shown = $state<string | null>('administrator');
  let draft = $state.raw<RoleJson | null>(null);
  let viewer = $state('');
  const standing = $derived(roles.find(({ id }) => id === shown));
  const written = ({ label, description, workspace: rights, others, tables }: RoleShown): RoleJson => ({
    label,
    description,
    workspace: rights,
    others,
    tables,
  });
  const role = $derived(draft ?? (standing ? written(standing) : null));
  const isChanged = $derived(draft !== null);

  async function read() {
    const [all, people] = await Promise.all([
      call<{ items: RoleShown[] }>('GET', workspacePath(workspace, '/roles')),
      call<{ items: Member[] }>('GET', workspacePath(workspace, '/members')),
    ]);
    if (!all.ok) return notices.refused(all.problem);
    roles = all.value.items;
    if (people.ok) members = people.value.items;
  }
  $effect(() => {
    void data.workspace.version;
    untrack(() => void read());
  });

  function choose(id: string) {
    [shown, draft] = [id, null];
  }
  /** A new role begins as the one that is looked at. */
  function begin() {
    if (!role) return;
    draft = { ...role, label: '', description: '' };
    shown = null;
  }
  async function keep() {
    if (!draft) return;
    const isNew = shown === null;
    const answer = await call<RoleShown>(
      isNew ? 'POST' : 'PATCH',
      workspacePath(workspace, `/roles${isNew ? '' : `/${shown}`}`),
      draft,
    );
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(
      isNew ? `The role “${answer.value.label}” is there to be given.` : `“${answer.value.label}” is changed.`,
    );
    await read();
    choose(answer.value.id);
    await renewed('loom:model');
  }
  let going = $state(false);
  async function remove() {
    if (!standing) return;
    if (!going) return void (going = true);
    going = false;
    const answer = await call('DELETE', workspacePath(workspace, `/roles/${standing.id}`));
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`“${standing.label}” is deleted.`);
    await read();
    choose('administrator');
  }
</script>

<svelte:head><title>Roles · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title="Roles"
  purpose="What people and groups of this workspace may see and do. They are given on the page People."
>
  <div class="sides">
    <nav aria-label="Roles">
      <ul>
        {#each roles as one (one.id)}<li>
            <button type="button" aria-current={one.id === shown} onclick={() => choose(one.id)}
              >{one.label}<span class="aside">{one.holders === 0 ? 'nobody' : counted(one.holders, 'holder')}</span
              ></button
            >
          </li>{/each}
        {#if shown === null}<li><button type="button" aria-current="true">New role</button></li>{/if}
      </ul>
      <Button onclick={begin} disabled={role === null || shown === null}>New role from this</Button>
    </nav>
    {#if role}
      <div class="role">
        {#if standing?.builtIn}
          <p class="about">{standing.description} Every workspace has this role as it is.</p>
        {:else}
          <div class="names">
            <label
              >Name <input
                class="in-line"
                maxlength="120"
                value={role.label}
                placeholder="such as Apiary steward"
                oninput={(event) => (draft = { ...role, label: event.currentTarget.value })}
              /></label
            >
            <label class="wide"
              >What it is for <input
                class="in-line"
                maxlength="2000"
                value={role.description}
                oninput={(event) => (draft = { ...role, description: event.currentTarget.value })}
              /></label
            >
          </div>
          {#if standing && standing.lost.length > 0}<p class="lost" role="status">{standing.lost.join('; ')}.</p>{/if}
        {/if}
        <RoleForm
          {workspace}
          model={data.model}
          {role}
          viewer={viewer === '' ? null : Number(viewer)}
          still={standing?.builtIn ?? false}
          onchange={(next) => (draft = next)}
        />
        <div class="steps">
          <label
            >Counted for <select class="in-line" bind:value={viewer}
              ><option value="">yourself</option>{#each members as { id, name } (id)}<option value={String(id)}
                  >{name}</option
                >{/each}</select
            ></label
          >
          {#if !standing?.builtIn}
            <Button kind="main" disabled={!isChanged || role.label.trim() === ''} onclick={() => void keep()}
              >{shown === null ? 'Make the role' : 'Save the role'}</Button
            >
            {#if isChanged}<Button kind="quiet" onclick={() => choose(shown ?? 'administrator')}>Discard</Button>{/if}
          {/if}
          {#if standing && !isChanged}<Button
              kind="quiet"
              onclick={() => void seeAs(workspace, { role: standing.id }, notices)}>See as this role</Button
            >{/if}
          {#if standing && !standing.builtIn && !isChanged}<Button
              kind={going ? 'danger' : 'quiet'}
              onclick={() => void remove()}>{going ? 'Really delete' : 'Delete the role'}</Button
            >{/if}
        </div>
      </div>
    {/if}
  </div>
</StagePage>

<style>
  .sides {
    display: grid;
    grid-template-columns: 200px minmax(0, 1fr);
    gap: 24px;
    align-items: start;
  }
  ul {
    margin-bottom: 12px;
  }
  li button {
    display: flex;
    justify-content: space-between;
    width: 100%;
    padding: 5px 10px;
    border-radius: var(--radius);
  }
  li button:hover {
    background: var(--sunken);
  }
  li button[aria-current='true'] {
    font-weight: 600;
    background: var(--woad-tint);
  }
  .aside {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 400;
  }
  .about {
    margin-bottom: 12px;
    color: var(--ink-soft);
  }
  .names {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 18px;
    margin-bottom: 14px;
  }
  .names label {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .wide {
    flex: 1;
  }
  .wide input {
    flex: 1;
  }
  .lost {
    margin-bottom: 10px;
    color: var(--madder);
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: center;
    margin-top: 14px;
  }
  @media (max-width: 800px) {
    .sides {
      grid-template-columns: minmax(0, 1fr);
    }
    .role {
      overflow-x: auto;
    }
  }
</style>
