<script lang="ts">
  import { goto } from '$app/navigation';
  import { Input } from 'flowbite-svelte';
  import Button from '$ui/controls/Button.svelte';
  import { call } from '$ui/api';
  import { switchLight } from '$ui/frame/theme';
  import { agoWords } from '$ui/values/words';

  const { data } = $props();
  let typed = $state('');
  let making = $state(false);
  let label = $state('');
  let refused = $state('');

  const shown = $derived.by(() => {
    const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
    const holds = (text: string) => words.every((word) => text.toLowerCase().includes(word));
    return data.ledger
      .map((line) => ({
        ...line,
        tables: holds(`${line.workspaceLabel} ${line.description}`) ? line.tables : line.tables.filter((table) => holds(`${table.label} ${table.description}`)),
      }))
      .filter((line) => words.length === 0 || line.tables.length > 0 || holds(`${line.workspaceLabel} ${line.description}`));
  });

  async function make(event: SubmitEvent) {
    event.preventDefault();
    const answer = await call<{ key: string }>('POST', '/api/workspaces', { label, zone: Intl.DateTimeFormat().resolvedOptions().timeZone }, true);
    if (answer.ok) await goto(`/w/${answer.value.key}`);
    else refused = [answer.problem.message, answer.problem.mend].filter(Boolean).join(' ');
  }
</script>

<svelte:head><title>Home · Inner Loom</title></svelte:head>
<header>
  <span class="weave" aria-hidden="true"></span><strong>Inner Loom</strong>
  <span class="who">{data.person.name}</span>
  <Button kind="quiet" onclick={switchLight}>Light or dark</Button>
  <form method="post" action="/sign-out"><Button kind="quiet" type="submit">Sign out</Button></form>
</header>
<main>
  <div class="top">
    <h1>Home</h1>
    <div class="search">
      <Input class="py-1.5" type="search" bind:value={typed} placeholder="Narrow to a table or workspace" aria-label="Narrow to a table or workspace" />
    </div>
    {#if making}
      <form class="make" onsubmit={make}>
        <Input class="py-1.5" bind:value={label} placeholder="Name of the workspace" aria-label="Name of the workspace" required autofocus />
        <Button kind="main" type="submit">Make it</Button>
        <Button kind="quiet" onclick={() => (making = false)}>Leave it</Button>
      </form>
    {:else}
      <Button kind="main" onclick={() => (making = true)}>New workspace</Button>
    {/if}
  </div>
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}

  <table>
    <thead><tr><th>workspace, table</th><th>purpose</th><th class="number">records</th><th class="number">set aside</th><th>last change</th></tr></thead>
    {#each shown as line (line.workspace)}
      <tbody>
        <tr class="workspace">
          <th scope="rowgroup"><a href="/w/{line.workspace}">{line.workspaceLabel}</a></th>
          <td>{line.description}</td>
          <td class="number"></td><td></td>
          <td
            >{line.changedAt ? `${agoWords(line.changedAt)} by ${line.changedBy}` : 'nothing yet'}
            <span class="role">you may {line.role === 'reader' ? 'read' : line.role === 'editor' ? 'change records' : 'change everything'}</span></td
          >
        </tr>
        {#each line.tables as table (table.key)}
          <tr>
            <th scope="row" style:--dye="var(--dye-{table.dye})"><a class="table" href="/w/{line.workspace}/t/{table.key}">{table.label}</a></th>
            <td>{table.description}</td>
            <td class="number">{table.records.toLocaleString()}</td>
            <td class="number aside">{table.setAside > 0 ? table.setAside.toLocaleString() : ''}</td><td></td>
          </tr>
        {:else}
          <tr
            ><td colspan="5" class="empty"
              >No tables yet. <a href="/w/{line.workspace}/intake">Bring in files</a> or <a href="/w/{line.workspace}?new">start an empty table</a>.</td
            ></tr
          >
        {/each}
      </tbody>
    {:else}
      <tbody><tr><td colspan="5" class="empty">{typed ? `Nothing here is called “${typed}”.` : 'You have no workspace yet: make one to begin.'}</td></tr></tbody
      >
    {/each}
  </table>
</main>

<style>
  header {
    display: flex;
    align-items: center;
    gap: 10px;
    height: 44px;
    padding: 0 20px;
    background: var(--raised);
    border-bottom: 1px solid var(--line);
  }
  .weave {
    width: 18px;
    height: 18px;
    border-radius: 3px;
    background:
      repeating-linear-gradient(90deg, var(--woad) 0 4px, transparent 4px 7px), repeating-linear-gradient(0deg, var(--weld) 0 3px, var(--woad-tint) 3px 7px);
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
