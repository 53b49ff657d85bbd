<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { Problem } from '$core/base/problem';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import PlanPanel from '$ui/structure/PlanPanel.svelte';
  import { WaitingChanges, type PlanShown } from '$ui/structure/waiting.svelte';
  import { counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  /** A template beside what stands: what is made, and which tables of one's own take part. */
  const { data } = $props();
  const { notices } = useFrame();
  const id = $derived(page.params.id ?? '');
  const workspace = $derived(data.workspace.key);
  const waiting = new WaitingChanges(
    () => workspace,
    'tables',
    () => data.model,
  );
  const { template, beside } = $derived(data);
  const earlier = $derived(beside.earlier);
  const isNewer = $derived(earlier !== null && template.version > earlier.version);
  /** For each table of the template the table that takes its place; blank for a new one. */
  let uses = $state<Record<string, string>>({});
  let labels = $state<Record<string, string>>({});
  let samples = $state(false);
  let use = $state<number | null>(null);
  let notes = $state.raw<readonly string[]>([]);
  let busy = $state(false);
  const missing = $derived(beside.tables.filter(({ key, placeholder }) => placeholder && uses[key] === undefined));

  async function plan(upgrade: boolean) {
    busy = true;
    const tables = Object.fromEntries(
      beside.tables.flatMap(({ key, placeholder }) => {
        const table = uses[key];
        if (table) return [[key, { use: table }]];
        const label = labels[key]?.trim();
        return label ? [[key, { label }]] : placeholder ? [[key, {}]] : [];
      }),
    );
    const answer = await call<{ use: number; plan: PlanShown; notes: string[] }>(
      'POST',
      workspacePath(workspace, '/templates/plan'),
      { template: id, ...(upgrade ? { upgrade } : { tables, samples }) },
    );
    busy = false;
    if (!answer.ok) return notices.refused(answer.problem);
    [use, notes] = [answer.value.use, answer.value.notes];
    waiting.plan = answer.value.plan;
  }

  async function apply() {
    waiting.busy = true;
    const answer = await call<{ batch: number; samples: number; problem: Problem | null }>(
      'POST',
      workspacePath(workspace, '/templates/apply'),
      { use },
    );
    waiting.busy = false;
    if (!answer.ok) return notices.refused(answer.problem);
    waiting.throwAway();
    await renewed('loom:model');
    if (answer.value.problem) notices.refused(answer.value.problem);
    else
      notices.done(
        `${template.label} stands here${answer.value.samples > 0 ? `, with ${counted(answer.value.samples, 'sample record')}` : ''}.`,
      );
    await goto(`/w/${workspace}`);
  }
  const offerWords = (offer: (typeof beside.tables)[number]['offers'][number]) =>
    `${offer.label}: ${counted(offer.records, 'record')}, ${counted(Object.keys(offer.fields).length, 'field')} the same`;
</script>

<svelte:head><title>{template.label} · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title={template.label}
  purpose={data.contents.map(({ count, word, words }) => counted(count, word, words)).join(', ')}
>
  {#if earlier}
    <p>
      Version {earlier.version} was applied here. {isNewer
        ? `What came of it can become as version ${template.version} has it; what you changed since stays.`
        : 'Applied again, it stands here twice.'}
      {#if isNewer}<Button kind="main" disabled={busy} onclick={() => void plan(true)}>See what changes</Button>{/if}
    </p>
  {/if}
  <table>
    <thead><tr><th>table of the template</th><th>here it is</th><th>called</th></tr></thead>
    <tbody>
      {#each beside.tables as table (table.key)}
        <tr>
          <th scope="row">{table.label}</th>
          <td>
            <select
              class="in-line"
              aria-label="{table.label} is"
              value={uses[table.key] ?? (table.placeholder ? '?' : '')}
              onchange={(event) => (uses[table.key] = event.currentTarget.value)}
            >
              {#if table.placeholder}<option value="?" disabled>choose a table …</option>{/if}
              <option value="">a new table</option>
              {#each table.offers as offer (offer.table)}<option value={offer.table}>{offerWords(offer)}</option>{/each}
              {#if table.placeholder || table.offers.length === 0}
                {#each data.model.tables.filter((one) => !one.pairs && !one.home && table.offers.every((offer) => offer.table !== one.key)) as one (one.id)}
                  <option value={one.key}>{one.label}</option>
                {/each}
              {/if}
            </select>
            {#if uses[table.key]}
              {@const added = table.offers.find((one) => one.table === uses[table.key])?.added ?? []}
              {#if added.length > 0}<small>gets {added.join(', ')}</small>{/if}
            {/if}
          </td>
          <td>
            {#if !uses[table.key]}
              <input
                class="in-line"
                aria-label="Name of {table.label} here"
                placeholder={table.clash ? `${table.label} 2` : table.label}
                value={labels[table.key] ?? ''}
                oninput={(event) => (labels[table.key] = event.currentTarget.value)}
              />
              {#if table.clash}<small>A table here is called {table.label}.</small>{/if}
            {/if}
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
  <label class="tick"
    ><input type="checkbox" bind:checked={samples} /> with its {counted(template.samples, 'sample record')}, in the
    tables that are new; they can be removed in one step</label
  >
  <Button kind={isNewer ? 'plain' : 'main'} disabled={busy || missing.length > 0} onclick={() => void plan(false)}
    >See the plan</Button
  >
  {#if missing.length > 0}<p class="soft">
      Choose what takes the place of {missing.map(({ label }) => label).join(' and ')}.
    </p>{/if}
</StagePage>
{#if waiting.plan}
  <Inspector kind="Plan" title={template.label} onclose={() => waiting.throwAway()}>
    {#if notes.length > 0}
      <ul class="notes">
        {#each notes as note, index (index)}<li>{note}</li>{/each}
      </ul>
    {/if}
    <PlanPanel {waiting} plan={waiting.plan} onapply={() => void apply()} onaway={() => waiting.throwAway()} />
  </Inspector>
{/if}

<style>
  table {
    margin-bottom: 14px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  th,
  td {
    padding: 7px 14px;
    text-align: left;
    vertical-align: top;
    border-bottom: 1px solid var(--line);
  }
  thead th {
    color: var(--ink-soft);
    font-weight: 400;
  }
  td :global(small) {
    display: block;
    max-width: 320px;
    color: var(--ink-soft);
  }
  .tick {
    display: flex;
    gap: 8px;
    align-items: baseline;
    margin-bottom: 14px;
  }
  .soft {
    color: var(--ink-soft);
  }
  .notes {
    padding: 8px 12px;
    margin-bottom: 8px;
    list-style: disc inside;
    background: var(--weld-tint);
  }
  @media (max-width: 700px) {
    thead {
      display: none;
    }
    tr,
    th,
    td {
      display: block;
    }
    th,
    td {
      padding: 4px 10px;
      border-bottom: 0;
    }
    tr {
      border-bottom: 1px solid var(--line);
    }
    td :global(select) {
      max-width: 100%;
    }
  }
</style>
