<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { Input, Label } from 'flowbite-svelte';
  import { keyFromLabel, nearestNames } from '$core/model/key';
  import { isSystem, ownTables } from '$core/model/model';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { fieldMembers } from '$ui/structure/draft';
  import FieldLines from '$ui/structure/FieldLines.svelte';
  import { pastedFields } from '$ui/structure/pastedFields';
  import PlanPanel from '$ui/structure/PlanPanel.svelte';
  import { WaitingChanges, type PlanShown } from '$ui/structure/waiting.svelte';
  import { call, workspacePath } from '$ui/api';
  import { counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const root = $derived(`/w/${data.workspace.key}`);
  const tables = $derived(ownTables(data.model));
  const designs = $derived(data.workspace.role === 'administrator');
  const making = $derived(designs && page.url.searchParams.has('new'));
  let label = $state('');
  let description = $state('');
  let lines = $state('Name');
  let refused = $state('');
  const { notices } = useFrame();
  const waiting = new WaitingChanges(
    () => data.workspace.key,
    'tables',
    () => data.model,
  );
  let picker = $state<HTMLInputElement | null>(null);
  let fileName = $state('');
  const similar = $derived(
    label.length > 2
      ? nearestNames(
          label,
          tables.map((table) => table.label),
        )
      : [],
  );

  /** What its links can point at: itself, too. */
  const targets = $derived([
    ...tables.map((table) => ({ path: table.key, label: table.label })),
    ...(label.trim() === '' ? [] : [{ path: keyFromLabel(label, 'table'), label: label.trim() }]),
    ...data.otherTables,
  ]);
  const read = $derived(pastedFields(lines, targets));
  const drafts = $derived(read.flatMap(({ draft }) => draft ?? []));

  async function make(event: SubmitEvent) {
    event.preventDefault();
    const changes = [{ do: 'addTable', label, description, fields: drafts.map(fieldMembers) }];
    const plan = await call<{ id: number; possible: boolean; effects: { breaks: { message: string; fix?: string }[] }[] }>(
      'POST',
      workspacePath(data.workspace.key, '/plans'),
      { changes },
    );
    if (!plan.ok) return void (refused = `${plan.problem.message} ${plan.problem.fix ?? ''}`);
    const broken = plan.value.effects.flatMap(({ breaks }) => breaks)[0];
    if (broken) return void (refused = `${broken.message} ${broken.fix ?? ''}`);
    const applied = await call<{ model: { tables: { key: string }[] } }>('POST', workspacePath(data.workspace.key, `/plans/${plan.value.id}/apply`));
    if (!applied.ok) return void (refused = applied.problem.message);
    // The page it goes to needs the new model, so both are asked for in one step.
    await goto(`${root}/t/${applied.value.model.tables.at(-1)?.key}/structure`, { invalidateAll: true });
  }

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
    <Button kind="main" href="{root}/intake">Bring in files</Button><Button href="{root}?new">Empty table</Button>
    <Button kind="quiet" onclick={() => picker?.click()} title="A structure as History exports it, as JSON">From a structure</Button>
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
    <form onsubmit={make}>
      <h2>Empty table</h2>
      <Label>Name<Input class="mt-1" bind:value={label} required maxlength={120} autofocus /></Label>
      {#if similar.length > 0}<p class="similar">
          Similar tables stand already: {#each similar as one, index (one)}{index > 0 ? ', ' : ''}<a
              href="{root}/t/{tables.find((table) => table.label === one)?.key}">{one}</a
            >{/each}
        </p>{/if}
      <Label class="mt-3">What it is for<Input class="mt-1" bind:value={description} placeholder="One line that tells people apart what belongs here" /></Label>
      <div class="mt-3"><FieldLines bind:text={lines} {targets} /></div>
      {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
      <div class="actions">
        <Button kind="main" type="submit" disabled={drafts.length === 0 || drafts.length < read.length}>Make the table</Button><Button kind="quiet" href={root}
          >Cancel</Button
        >
      </div>
    </form>
  {:else if tables.length === 0}
    <div class="empty">
      <h2>Nothing stands here yet</h2>
      {#if designs}
        <p>Bring in the spreadsheets that the team works with today: their columns, keys and links are found for you, and nothing is made until you say so.</p>
        {@render ways()}
      {:else}<p>An administrator of this workspace can bring in files or make a table.</p>{/if}
    </div>
  {:else}
    <ul>
      {#each tables as table (table.id)}
        <li style:--dye="var(--dye-{table.dye})">
          <a href="{root}/t/{table.key}">{table.label}</a>
          <span class="purpose">{table.description}</span>
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
    gap: 8px;
    margin-top: 20px;
  }
  form,
  .empty {
    max-width: 560px;
    padding: 20px 24px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  form {
    max-width: 980px;
  }
  .similar {
    margin-top: 6px;
    color: var(--weld);
  }
  .refused {
    margin-top: 10px;
    color: var(--madder);
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
