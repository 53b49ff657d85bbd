<script lang="ts">
  import { page } from '$app/state';
  import { isSystem, ownTables } from '$core/model/model';
  import Button from '$ui/controls/Button.svelte';
  import PrivateMark from '$ui/controls/PrivateMark.svelte';
  import Sign from '$ui/controls/Sign.svelte';
  import { useFrame } from '$ui/frame/context';
  import { tour } from '$ui/frame/tour.svelte';
  import Inspector from '$ui/frame/Inspector.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import NewTableForm from '$ui/structure/NewTableForm.svelte';
  import PlanPanel from '$ui/structure/PlanPanel.svelte';
  import { WaitingChanges, type PlanShown } from '$ui/structure/waiting.svelte';
  import { call, workspacePath } from '$ui/api';
  import { counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const root = $derived(`/w/${data.workspace.key}`);
  const tables = $derived(ownTables(data.model));
  const designs = $derived(data.workspace.may.design);
  const making = $derived(designs && page.url.searchParams.has('new'));
  const { notices } = useFrame();
  const waiting = new WaitingChanges(
    () => data.workspace.key,
    'tables',
    () => data.model,
  );
  let picker = $state<HTMLInputElement | null>(null);
  let fileName = $state('');
  /** Shows what a structure that was exported would make here. */
  async function readStructure(file: File | undefined) {
    if (!file) return;
    fileName = file.name;
    const text = await file.text();
    if (picker) picker.value = '';
    let structure: unknown;
    try {
      structure = JSON.parse(text);
    } catch {
      return notices.refused({ message: `${fileName} is no JSON.`, fix: 'Choose a structure as History exports it.' });
    }
    const answer = await call<PlanShown>('POST', workspacePath(data.workspace.key, '/structure/import'), structure);
    if (!answer.ok) return notices.refused(answer.problem);
    waiting.plan = answer.value;
  }

  async function applyStructure() {
    const done = await waiting.apply();
    if (!done) {
      if (waiting.refused) notices.refused(waiting.refused);
      return;
    }
    await renewed('loom:model');
    notices.done(`The structure of ${fileName} stands.`, {
      label: 'Undo',
      run: async () => {
        const undone = await call('POST', workspacePath(data.workspace.key, `/batches/${done.batch}/undo`));
        if (!undone.ok) return notices.refused(undone.problem);
        await renewed('loom:model');
      },
    });
  }
</script>

{#snippet ways()}
  <div class="actions">
    <Button kind="main" href="{root}/intake">Bring in files</Button><Button href="{root}?new">New table</Button>
    <Button href="/templates?for={data.workspace.key}">From a template</Button>
    {#if tables.length > 0}<Button kind="quiet" href="{root}/template/new">Make a template</Button>{/if}
    <Button kind="quiet" onclick={() => picker?.click()} title="A structure as History exports it, as JSON"
      >From a structure</Button
    >
    <input
      bind:this={picker}
      type="file"
      accept=".json,application/json"
      aria-label="Structure to build"
      hidden
      onchange={() => void readStructure(picker?.files?.[0])}
    />
  </div>
{/snippet}

<svelte:head><title>{data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage title={data.workspace.label} purpose={data.workspace.description}>
  {#if making}
    {#key page.url.search}
      <NewTableForm
        workspace={data.workspace.key}
        model={data.model}
        others={data.otherTables}
        from={page.url.searchParams.get('from')}
      />
    {/key}
  {:else if tables.length === 0}
    <div class="empty">
      <h2>Nothing stands here yet</h2>
      {#if designs}
        <p>
          Bring in the spreadsheets that the team works with today: their columns, keys and links are found for you, and
          nothing is made until you say so.
        </p>
        {@render ways()}
        <p class="tour">
          New here? <button type="button" onclick={() => tour.begin()}>Take the tour</button>: six steps, to be left at
          any time.
        </p>
      {:else}<p>An administrator of this workspace can bring in files or make a table.</p>{/if}
    </div>
  {:else}
    <ul>
      {#each tables as table (table.id)}
        <li style:--dye="var(--dye-{table.dye})">
          <a href="{root}/t/{table.key}"
            >{#if table.icon}<Sign icon={table.icon} />{/if}
            {table.label}</a
          >
          <span class="purpose"><PrivateMark {table} /> {table.description}</span>
          <span>{counted(data.counts[table.key] ?? 0, 'record')}</span>
          <span>{counted(table.fields.filter((field) => !isSystem(field)).length, 'field')}</span>
          <a class="side" href="{root}/t/{table.key}/structure">Structure</a>
        </li>
      {/each}
    </ul>
    {#if designs}{@render ways()}{/if}
  {/if}
</StagePage>
{#if waiting.plan}
  <Inspector kind="Plan" title={fileName} onclose={() => waiting.throwAway()}>
    <PlanPanel {waiting} plan={waiting.plan} onapply={() => void applyStructure()} onaway={() => waiting.throwAway()} />
  </Inspector>
{/if}

<style>
  .tour {
    margin-top: 16px;
  }
  .tour button {
    color: var(--woad);
    text-decoration: underline;
  }
  h2 {
    margin-bottom: 10px;
    font-size: 18px;
  }
  ul {
    max-width: 980px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  li {
    display: grid;
    grid-template-columns: 180px 1fr 110px 80px 80px;
    gap: 16px;
    align-items: baseline;
    padding: 9px 16px;
    border-bottom: 1px solid var(--line);
    border-left: 5px solid var(--dye);
    font-variant-numeric: tabular-nums;
  }
  li a:first-child {
    color: var(--ink);
    font-weight: 600;
  }
  .purpose {
    color: var(--ink-soft);
  }
  .actions {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 20px;
  }
  .empty {
    max-width: 560px;
    padding: 20px 24px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  @media (max-width: 700px) {
    li {
      grid-template-columns: 1fr auto;
    }
    .purpose,
    li span:nth-child(4),
    .side {
      display: none;
    }
  }
</style>
