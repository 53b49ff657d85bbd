<script lang="ts">
  import { untrack } from 'svelte';
  import { ownTables } from '$core/model/model';
  import type { Table } from '$core/types/model';
  import type { Finding } from '$server/health/finding';
  import { call, workspacePath } from '$ui/api';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';
  import AcceptedList from '$ui/health/AcceptedList.svelte';
  import AcceptPanel from '$ui/health/AcceptPanel.svelte';
  import type { Accepted, TableFindings } from '$ui/health/finding';
  import FindingRows from '$ui/health/FindingRows.svelte';

  const { data } = $props();
  const { live, notices, health } = useFrame();
  const workspace = $derived(data.workspace.key);
  const tables = $derived(ownTables(data.model));
  let found = $state<Record<string, TableFindings>>({});
  let accepting = $state<{ table: string; finding: Finding } | null>(null);
  let asked = 0;

  let defects = $state<readonly { table: string; words: string }[]>([]);
  $effect(() => {
    void data.model;
    void call<{ items: { table: string; words: string }[] }>('GET', workspacePath(workspace, '/structure/check')).then(
      (answer) => {
        if (answer.ok) defects = answer.value.items;
      },
    );
  });

  // A table at a time, so that the first findings stand while others are looked for.
  async function read(all: readonly Table[]) {
    const mine = ++asked;
    for (const { key } of all) {
      const answer = await call<TableFindings>('GET', workspacePath(workspace, `/tables/${key}/findings`));
      if (mine !== asked) return;
      if (answer.ok) found[key] = answer.value;
      else notices.refused(answer.problem);
    }
  }
  // At first all tables; after a change those it touched, and any that were not looked at yet.
  $effect(() => {
    const changed = live.count > 0;
    const all = tables;
    untrack(() => void read(all.filter(({ key, id }) => !found[key] || (changed && live.concerns(new Set([id]))))));
  });
  const looked = $derived(tables.filter(({ key }) => found[key]).length);
  const all = $derived(
    tables.map((table) => ({
      table,
      findings: [...(found[table.key]?.findings ?? [])].sort((a, b) => b.count - a.count),
    })),
  );
  const total = $derived(all.reduce((sum, { findings }) => sum + findings.length, 0));
  $effect(() => {
    if (looked === tables.length) health.count = total;
  });

  const mayAccept = $derived(data.workspace.may.write);
  const accepted = $derived(
    tables
      .map((table) => ({ table, accepted: found[table.key]?.accepted ?? [] }))
      .filter((one) => one.accepted.length > 0),
  );
  const shown = $derived(accepting && tables.find(({ key }) => key === accepting?.table));

  function done(table: Table, words: string) {
    accepting = null;
    notices.done(words);
    void read([table]);
  }
  async function undo(table: Table, { id, words }: Accepted) {
    const answer = await call('DELETE', workspacePath(workspace, `/tables/${table.key}/findings/accepted/${id}`));
    if (answer.ok) done(table, `${words}: no longer accepted.`);
    else notices.refused(answer.problem);
  }
</script>

<svelte:head><title>Health · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title="Health"
  purpose="Data checks: problems with this workspace’s data and structure, the records they are on, and how to fix them."
>
  {#if defects.length > 0}
    <section class="defects" role="alert">
      <h2>The structure is not what the tables are</h2>
      <p>
        Records are safe. Do not change the structure; ask whoever runs Inner Loom for <code
          >./loom repair {workspace}</code
        >.
      </p>
      <ul>
        {#each defects as { table, words }, index (index)}<li>{table ? `${table}: ` : ''}{words}</li>{/each}
      </ul>
    </section>
  {/if}
  <p role="status">
    {#if looked < tables.length}Looking through {tables.length} tables: {looked} done …
    {:else if total === 0}No problems found.
    {:else}{total}
      {total === 1 ? 'finding' : 'findings'} in {all.filter(({ findings }) => findings.length > 0).length} tables{/if}
  </p>
  {#each all.filter(({ findings }) => findings.length > 0) as { table, findings } (table.id)}
    <h2 style:--dye="var(--dye-{table.dye})">{table.label}</h2>
    <FindingRows
      {workspace}
      {table}
      {findings}
      {mayAccept}
      chosen={accepting?.finding.id ?? null}
      onaccept={(finding) => (accepting = { table: table.key, finding })}
    />
  {/each}
  {#if accepted.length > 0}<AcceptedList
      tables={accepted}
      {mayAccept}
      onundo={(table, one) => void undo(table, one)}
    />{/if}
</StagePage>
{#if accepting && shown}
  {@const { finding } = accepting}
  {@const table = shown}
  {#key finding.id}
    <AcceptPanel
      model={data.model}
      {table}
      {finding}
      onclose={() => (accepting = null)}
      onaccepted={() => done(table, `${finding.label}: accepted.`)}
    />
  {/key}
{/if}
<svelte:window onkeydown={(event) => event.key === 'Escape' && (accepting = null)} />

<style>
  .defects {
    padding: 4px 14px 10px;
    border: 1px solid var(--madder);
    border-radius: 8px;
    font-size: 13px;
  }
  .defects ul {
    padding-left: 18px;
    list-style: disc;
  }
  h2 {
    margin: 18px 0 6px;
    padding-left: 8px;
    border-left: 4px solid var(--dye);
    font-size: 16px;
  }
</style>
