<script lang="ts">
  import { say } from '$core/base/say';
  import { goto } from '$app/navigation';
  import Star from '@lucide/svelte/icons/star';
  import { Input } from 'flowbite-svelte';
  import Button from '$ui/controls/Button.svelte';
  import Menu from '$ui/controls/Menu.svelte';
  import Sign from '$ui/controls/Sign.svelte';
  import WorkspaceForm from '$ui/home/WorkspaceForm.svelte';
  import { call } from '$ui/api';
  import { switchLight } from '$ui/frame/theme';
  import { roleWords } from '$ui/people/roleWords';
  import { agoWords } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  let typed = $state('');
  let making = $state(false);
  let label = $state('');
  let refused = $state('');
  /** The workspace whose name and look are being changed. */
  let changing = $state<string | null>(null);
  const changed = $derived(data.ledger.find(({ key }) => key === changing));

  /** Which workspaces the ledger shows. */
  let which = $state<'all' | 'mine' | 'shared' | 'archived' | 'bin'>('all');
  const kinds = $derived([
    { name: 'all', words: 'all', count: data.ledger.filter(({ archived }) => !archived).length },
    {
      name: 'mine',
      words: 'mine alone',
      count: data.ledger.filter(({ archived, others }) => !archived && others === 0).length,
    },
    {
      name: 'shared',
      words: 'shared',
      count: data.ledger.filter(({ archived, others }) => !archived && others > 0).length,
    },
    { name: 'archived', words: 'archived', count: data.ledger.filter(({ archived }) => archived).length },
    { name: 'bin', words: 'in the bin', count: data.bin.length },
  ] as const);
  const fits = (line: { archived: boolean; others: number }) =>
    which === 'archived'
      ? line.archived
      : !line.archived && (which === 'all' || (which === 'mine' ? line.others === 0 : line.others > 0));
  const keptTables = $derived(new Set(data.favourites.filter(({ kind }) => kind === 'table').map(({ href }) => href)));
  const keptWorkspaces = $derived(
    new Set(data.favourites.filter(({ kind }) => kind === 'workspace').map(({ href }) => href)),
  );

  async function change(workspace: string, settings: Record<string, unknown>) {
    const answer = await call('PATCH', `/api/workspaces/${workspace}`, settings);
    refused = answer.ok ? '' : [answer.problem.message, answer.problem.fix].filter(Boolean).join(' ');
    await renewed('loom:home');
  }

  async function keep(workspace: string, table: string | null, favourite: boolean) {
    await call('PUT', `/api/workspaces/${workspace}/favourite`, { ...(table ? { table } : {}), favourite });
    await renewed('loom:home');
  }

  const shown = $derived.by(() => {
    const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
    const holds = (text: string) => words.every((word) => text.toLowerCase().includes(word));
    return data.ledger
      .filter(fits)
      .map((line) => ({
        ...line,
        tables: holds(`${line.label} ${line.description}`)
          ? line.tables
          : line.tables.filter((table) => holds(`${table.label} ${table.description}`)),
      }))
      .filter((line) => words.length === 0 || line.tables.length > 0 || holds(`${line.label} ${line.description}`));
  });

  async function make(event: SubmitEvent) {
    event.preventDefault();
    const answer = await call<{ key: string }>(
      'POST',
      '/api/workspaces',
      { label, zone: Intl.DateTimeFormat().resolvedOptions().timeZone },
      true,
    );
    if (answer.ok) await goto(`/w/${answer.value.key}`);
    else refused = [answer.problem.message, answer.problem.fix].filter(Boolean).join(' ');
  }
</script>

{#snippet star(label: string, on: boolean, turn: (favourite: boolean) => void)}
  <button class="star" aria-pressed={on} aria-label="Favourite: {label}" onclick={() => turn(!on)}
    ><Star size={13} fill={on ? 'currentColor' : 'none'} /></button
  >
{/snippet}

<svelte:head><title>Home · Inner Loom</title></svelte:head>
<header>
  <span class="weave" aria-hidden="true"></span><strong>Inner Loom</strong>
  <a class="who" href="/account" title="Your account">{data.person.name}</a>
  {#if data.manages}<Button kind="quiet" href="/directory">Directory</Button>{/if}
  <Button kind="quiet" href="/outbox">Outbox</Button>
  <Button kind="quiet" href="/tokens">Tokens</Button>
  <Button kind="quiet" onclick={switchLight}>Light or dark</Button>
  <form method="post" action="/sign-out"><Button kind="quiet" type="submit">Sign out</Button></form>
</header>
<main>
  <div class="top">
    <h1>Home</h1>
    <div class="search">
      <Input
        class="py-1.5"
        type="search"
        bind:value={typed}
        placeholder="Narrow to a table or workspace"
        aria-label="Narrow to a table or workspace"
      />
    </div>
    {#if making}
      <form class="make" onsubmit={make}>
        <Input
          class="py-1.5"
          bind:value={label}
          placeholder="Name of the workspace"
          aria-label="Name of the workspace"
          required
          autofocus
        />
        <Button kind="main" type="submit">Make it</Button>
        <Button kind="quiet" onclick={() => (making = false)}>Cancel</Button>
      </form>
    {:else}
      <Button href="/packages">From a package</Button>
      <Button href="/templates">From a template</Button>
      <Button kind="main" onclick={() => (making = true)}>New workspace</Button>
    {/if}
  </div>
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}

  {#if (data.recent.length > 0 || data.favourites.length > 0) && typed === ''}
    <div class="places">
      {#each [{ name: 'Recent', list: data.recent }, { name: 'Favourites', list: data.favourites }] as { name, list } (name)}
        <section aria-label={name}>
          <h2>{name}</h2>
          <ul>
            {#each list as place, index (index)}
              <li style:--dye={place.dye ? `var(--dye-${place.dye})` : 'var(--line-strong)'}>
                <a href={place.href}>{place.label}</a>
                <span
                  >{place.within}{name === 'Recent' && place.visitedAt ? ` · ${agoWords(place.visitedAt)}` : ''}</span
                >
              </li>
            {:else}<li class="none">Star a table or a view to keep it here.</li>{/each}
          </ul>
        </section>
      {/each}
    </div>
  {/if}

  <div class="kinds" role="group" aria-label="Which workspaces">
    {#each kinds as { name, words, count } (name)}
      {#if count > 0 || name === 'all'}<button aria-pressed={which === name} onclick={() => (which = name)}
          >{say(words)} <span>{count}</span></button
        >{/if}
    {/each}
  </div>
  {#if which === 'bin'}
    <ul class="bin">
      {#each data.bin as one (one.key)}
        <li>
          <b>{one.label}</b> in the bin since {agoWords(one.at)}
          <Button kind="quiet" onclick={() => void change(one.key, { deleted: false })}>Bring it back</Button>
        </li>
      {/each}
    </ul>
  {:else}
    <table>
      <thead
        ><tr
          ><th>workspace, table</th><th>purpose</th><th class="number">records</th><th class="number">set aside</th><th
            >last change</th
          ></tr
        ></thead
      >
      {#each shown as line (line.key)}
        <tbody>
          <tr class="workspace">
            <th scope="rowgroup">
              <a href="/w/{line.key}" style:--dye="var(--dye-{line.dye})"
                >{#if line.icon}<span class="sign"><Sign icon={line.icon} /></span>{/if}{line.label}</a
              >
              {@render star(
                line.label,
                keptWorkspaces.has(`/w/${line.key}`),
                (favourite) => void keep(line.key, null, favourite),
              )}
            </th>
            <td>{line.description}</td>
            <td class="number"></td><td></td>
            <td
              >{#if line.role === 'administrator'}<span class="steps"
                  ><Menu
                    label="What can be done with {line.label}"
                    items={[
                      { label: 'Name, colour and icon', run: () => (changing = line.key) },
                      line.archived
                        ? {
                            label: 'Bring it back into sight',
                            run: () => void change(line.key, { archived: false }),
                          }
                        : {
                            label: 'Archive: out of sight, kept as it is',
                            run: () => void change(line.key, { archived: true }),
                          },
                      {
                        label: 'Take out as a package',
                        run: () => void goto(`/w/${line.key}/package`),
                      },
                      { label: 'Put it in the bin', run: () => void change(line.key, { deleted: true }) },
                    ]}><span aria-hidden="true">…</span></Menu
                  ></span
                >{/if}{line.changedAt ? `${agoWords(line.changedAt)} by ${line.changedBy}` : 'nothing yet'}
              <span class="role">{roleWords(line.role, line.roleLabel)}</span></td
            >
          </tr>
          {#each line.tables as table (table.key)}
            <tr>
              <th scope="row" style:--dye="var(--dye-{table.dye})"
                ><a class="named" href="/w/{line.key}/t/{table.key}"
                  >{#if table.icon}<span class="sign"><Sign icon={table.icon} /></span>{/if}{table.label}</a
                >
                {@render star(
                  table.label,
                  keptTables.has(`/w/${line.key}/t/${table.key}`),
                  (favourite) => void keep(line.key, table.key, favourite),
                )}</th
              >
              <td>{table.description}</td>
              <td class="number">{table.records?.toLocaleString() ?? 'some'}</td>
              <td class="number aside">{table.setAside > 0 ? table.setAside.toLocaleString() : ''}</td><td></td>
            </tr>
          {:else}
            <tr
              ><td colspan="5" class="empty"
                >No tables yet. <a href="/w/{line.key}/intake">Bring in files</a> or
                <a href="/w/{line.key}?new">start an empty table</a>.</td
              ></tr
            >
          {/each}
        </tbody>
      {:else}
        <tbody
          ><tr
            ><td colspan="5" class="empty"
              >{typed ? `Nothing here is called “${typed}”.` : 'You have no workspace yet: make one to begin.'}</td
            ></tr
          ></tbody
        >
      {/each}
    </table>
  {/if}
</main>

{#if changed}
  {@const workspace = changed.key}
  <WorkspaceForm
    line={changed}
    onclose={() => (changing = null)}
    onsave={(settings) => {
      changing = null;
      void change(workspace, settings);
    }}
  />
{/if}

<style>
  .sign {
    display: inline-block;
    margin-right: 6px;
    color: var(--dye);
    vertical-align: -2px;
  }
  header {
    display: flex;
    align-items: center;
    flex-wrap: wrap;
    gap: 2px 10px;
    min-height: 44px;
    padding: 0 20px;
    background: var(--raised);
    border-bottom: 1px solid var(--line);
  }
  .weave {
    width: 18px;
    height: 18px;
    border-radius: 3px;
    background:
      repeating-linear-gradient(90deg, var(--woad) 0 4px, transparent 4px 7px),
      repeating-linear-gradient(0deg, var(--weld) 0 3px, var(--woad-tint) 3px 7px);
  }
  .who {
    margin-left: auto;
    color: var(--ink-soft);
  }
  main {
    max-width: 1180px;
    margin: 0 auto;
    padding: 26px 20px 60px;
  }
  .top {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 14px;
    margin-bottom: 18px;
  }
  h1 {
    font-size: 24px;
  }
  .search {
    flex: 1;
    min-width: 200px;
    max-width: 380px;
    margin-right: auto;
  }
  .make {
    display: flex;
    gap: 6px;
  }
  .places {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
    gap: 8px 40px;
    margin-bottom: 18px;
  }
  h2 {
    padding-bottom: 3px;
    margin-bottom: 2px;
    color: var(--ink-soft);
    font-size: 13px;
    font-weight: 600;
    border-bottom: 1px solid var(--line);
  }
  .places li {
    padding: 3px 0 3px 9px;
    border-left: 4px solid var(--dye);
    margin-top: 2px;
  }
  .places li span,
  .none {
    color: var(--ink-faint);
    font-size: 13px;
  }
  .places .none {
    border: 0;
    padding-left: 0;
  }
  .kinds {
    display: flex;
    gap: 14px;
    margin-bottom: 6px;
  }
  .kinds button {
    color: var(--ink-soft);
    border-bottom: 2px solid transparent;
  }
  .kinds button[aria-pressed='true'] {
    color: var(--ink);
    font-weight: 600;
    border-color: var(--woad);
  }
  .kinds span {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 400;
  }
  .bin li {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .places a {
    text-decoration: underline;
    text-decoration-color: var(--line-strong);
    text-underline-offset: 3px;
  }
  .star {
    display: inline-grid;
    place-items: center;
    width: 24px;
    height: 24px;
    color: var(--weld);
    opacity: 0.45;
    vertical-align: -1px;
  }
  .star[aria-pressed='true'],
  .star:focus-visible,
  tr:hover .star {
    opacity: 1;
  }
  .steps {
    float: right;
  }
  .refused {
    margin-bottom: 10px;
    color: var(--madder);
  }
  table {
    width: 100%;
    background: var(--raised);
    border: 1px solid var(--line);
    border-collapse: collapse;
  }
  th,
  td {
    padding: 7px 14px;
    text-align: left;
    vertical-align: baseline;
    border-bottom: 1px solid var(--line);
  }
  thead th {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
  }
  .number {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .workspace th,
  .workspace td {
    padding-top: 18px;
    background: var(--ground);
  }
  .workspace a {
    font-size: 16px;
    color: var(--ink);
  }
  tbody tr:not(.workspace) th {
    padding-left: 26px;
    font-weight: 500;
    box-shadow: inset 6px 0 0 -2px var(--dye, transparent);
  }
  td {
    color: var(--ink-soft);
  }
  .role {
    margin-left: 10px;
    color: var(--ink-faint);
    font-size: 12px;
  }
  .aside {
    color: var(--weld);
  }
  .empty {
    padding: 20px 26px;
  }
  a:hover {
    text-decoration: underline;
  }
  @media (max-width: 700px) {
    td:nth-child(2),
    td:nth-child(4),
    td:nth-child(5),
    thead th:nth-child(2),
    thead th:nth-child(4),
    thead th:nth-child(5) {
      display: none;
    }
  }
</style>
