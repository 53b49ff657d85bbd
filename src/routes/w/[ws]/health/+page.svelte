<script lang="ts">
  import { untrack } from 'svelte';
  import { ownTables, type Table } from '$core/model/model';
  import type { Finding } from '$server/tables/findings';
  import { call, workspacePath } from '$ui/api';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';

  const { data } = $props();
  const { live, notices, health } = useFrame();
  const workspace = $derived(data.workspace.key);
  const tables = $derived(ownTables(data.model));
  let found = $state<Record<string, readonly Finding[]>>({});
  let asked = 0;

  let defects = $state<readonly { table: string; words: string }[]>([]);
  $effect(() => {
    void data.model;
    void call<{ defects: { table: string; words: string }[] }>('GET', workspacePath(workspace, '/structure/check')).then((answer) => {
      if (answer.ok) defects = answer.value.defects;
    });
  });

  // A table at a time, so that the first findings stand while others are looked for.
  async function read(all: readonly Table[]) {
    const mine = ++asked;
    for (const { key } of all) {
      const answer = await call<{ findings: Finding[] }>('GET', workspacePath(workspace, `/tables/${key}/findings`));
      if (mine !== asked) return;
      if (answer.ok) found[key] = answer.value.findings;
      else notices.refused(answer.problem);
    }
  }
  // At first all tables; after a change those it touched, and any that were not looked at yet.
  $effect(() => {
    const changed = live.count > 0;
    const all = tables;
    untrack(() => void read(all.filter(({ key, id }) => !found[key] || (changed && live.concerns(id)))));
  });
  const looked = $derived(tables.filter(({ key }) => found[key]).length);
  const all = $derived(tables.map((table) => ({ table, findings: [...(found[table.key] ?? [])].sort((a, b) => b.count - a.count) })));
  const total = $derived(all.reduce((sum, { findings }) => sum + findings.length, 0));
  $effect(() => {
    if (looked === tables.length) health.count = total;
  });

  const records = (table: Table, { filter }: Finding) => `/w/${workspace}/t/${table.key}?filter=${encodeURIComponent(filter ?? '')}`;
  const structure = (table: Table, { field }: Finding) => `/w/${workspace}/t/${table.key}/structure${field ? `?field=${field}` : ''}`;

  /** What fixes a finding, and where; findings of calculated values are fixed in their records or their formula. */
  function repair(table: Table, finding: Finding): { words: string; href: string } | null {
    switch (finding.kind) {
      case 'required blank':
        return { words: 'Fill them in', href: records(table, finding) };
      case 'broken rule':
      case 'same title':
        return { words: 'Fix these records', href: records(table, finding) };
      case 'set aside':
        return { words: 'Repair the values', href: `/w/${workspace}/set-aside` };
      case 'unused field':
        return { words: 'Switch it off', href: structure(table, finding) };
      case 'unused option':
        return { words: 'Retire them', href: structure(table, finding) };
      case 'link by text':
        return { words: 'Make it a link', href: structure(table, finding) };
      default:
        return finding.filter ? { words: 'Show these records', href: records(table, finding) } : null;
    }
  }
  const counts = ({ kind, count }: Finding) => (kind === 'unused option' ? `${count} of the list` : count.toLocaleString());
</script>

<svelte:head><title>Health · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage title="Health" purpose="Data checks: problems with this workspace’s data and structure, the records they are on, and how to fix them.">
  {#if defects.length > 0}
    <section class="defects" role="alert">
      <h2>The structure is not what the tables are</h2>
      <p>Records are safe. Do not change the structure; ask whoever runs Inner Loom for <code>./loom repair {workspace}</code>.</p>
      <ul>
        {#each defects as { table, words }, index (index)}<li>{table ? `${table}: ` : ''}{words}</li>{/each}
      </ul>
    </section>
  {/if}
  <p role="status">
    {#if looked < tables.length}Looking through {tables.length} tables: {looked} done …
    {:else if total === 0}No problems found.
    {:else}{total} {total === 1 ? 'finding' : 'findings'} in {all.filter(({ findings }) => findings.length > 0).length} tables{/if}
  </p>
  {#each all.filter(({ findings }) => findings.length > 0) as { table, findings } (table.id)}
    <h2 style:--dye="var(--dye-{table.dye})">{table.label}</h2>
    <table>
      <thead><tr><th class="count">records</th><th>field</th><th>why</th><th>the first of them</th><th><span class="sr-only">go to</span></th></tr></thead>
      <tbody>
        {#each findings as finding, index (index)}
          <tr>
            <td class="count">{counts(finding)}</td>
            <td><a href={structure(table, finding)} title="Look at the field">{finding.label}</a></td>
            <td
              >{finding.words}{#if finding.part}: <code>{finding.part}</code>{/if}</td
            >
            <td class="first">
              {#each finding.records.slice(0, 3) as { id, title }, index (id)}{index > 0 ? ', ' : ''}<a href="/w/{workspace}/t/{table.key}?record={id}"
                  >{title}</a
                >{/each}{finding.records.length > 0 && finding.count > 3 ? ' …' : ''}
            </td>
            <td class="go"
              >{#if repair(table, finding)}<a class="open" href={repair(table, finding)?.href}>{repair(table, finding)?.words}</a>{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  {/each}
</StagePage>

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
  table {
    width: 100%;
    table-layout: fixed;
    font-size: 13px;
  }
  th:nth-child(2) {
    width: 18%;
  }
  th:nth-child(4) {
    width: 26%;
  }
  th:nth-child(5) {
    width: 150px;
  }
  th {
    padding: 4px 8px;
    color: var(--ink-faint);
    font-weight: 500;
    text-align: left;
  }
  td {
    padding: 6px 8px;
    border-top: 1px solid var(--line);
    vertical-align: top;
  }
  .count {
    width: 72px;
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  code {
    font-size: 12px;
  }
  .first {
    color: var(--ink-soft);
  }
  .go {
    text-align: right;
    white-space: nowrap;
  }
  a {
    color: var(--woad);
  }
</style>
