<script lang="ts">
  import { goto, invalidate } from '$app/navigation';
  import { dependenciesOf } from '$core/flow/dependencies';
  import { usersOf } from '$core/flow/graph';
  import { printFormula } from '$core/formula/printer';
  import type { Effect } from '$core/model/effect';
  import { fieldOf, type Field } from '$core/model/model';
  import Button from '$ui/controls/Button.svelte';
  import { call, workspacePath, type Refused } from '$ui/api';
  import Inspector from '$ui/frame/Inspector.svelte';
  import { useFrame } from '$ui/frame/context';
  import FieldForm from '$ui/structure/FieldForm.svelte';
  import PlanPanel from '$ui/structure/PlanPanel.svelte';
  import { addFieldChange, changeFieldChange, draftOf, waitingWords, type FieldDraft } from '$ui/structure/draft';
  import TableHead from '$ui/TableHead.svelte';
  import { isCalculated, typeWords } from '$ui/values/show';
  import { counted } from '$ui/values/words';

  const { data } = $props();
  const { notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const table = $derived(data.table);
  const designs = $derived(data.workspace.role === 'administrator');
  let panel = $state<{ kind: 'new' } | { kind: 'field'; id: string } | { kind: 'plan' } | null>(null);
  let waiting = $state<Record<string, unknown>[]>([]);
  let plan = $state<{ id: number; effects: readonly Effect[]; possible: boolean } | null>(null);
  let refused = $state<Refused | null>(null);
  let busy = $state(false);

  const shown = $derived.by(() => {
    const open = panel;
    return open?.kind === 'field' ? table.fields.find(({ id }) => id === open.id) : undefined;
  });
  const links = $derived({
    out: table.fields.filter(({ type }) => type.kind === 'link').length,
    in: table.fields.filter(({ type }) => type.kind === 'counterpart').length,
  });
  const titleField = $derived(table.fields.find(({ id }) => id === table.title));
  const nameOf = (id: string) => {
    const { field, table: owner } = fieldOf(data.model, id);
    return owner.id === table.id ? field.label : `${owner.label}.${field.label}`;
  };
  const comesFrom = (field: Field) =>
    field.type.kind === 'formula' ? [...new Set(dependenciesOf(data.model, field.type.formula).on.map((one) => nameOf(one.field)))] : [];
  const goesTo = (field: Field) => [...new Set(usersOf(data.model, field.id).map((user) => nameOf(user.field.id)))];

  function wait(change: Record<string, unknown> | null) {
    if (change) waiting = [...waiting, change];
    panel = null;
  }

  async function see() {
    busy = true;
    const answer = await call<NonNullable<typeof plan>>('POST', workspacePath(workspace, '/plans'), { changes: waiting });
    busy = false;
    refused = answer.ok ? null : answer.problem;
    plan = answer.ok ? answer.value : null;
    panel = { kind: 'plan' };
  }

  function throwAway() {
    [waiting, plan, refused, panel] = [[], null, null, null];
  }

  async function undo(batch: number) {
    const answer = await call('POST', workspacePath(workspace, `/batches/${batch}/undo`));
    if (!answer.ok) return notices.refused(answer.problem);
    await invalidate('loom:model');
    notices.done('Taken back.');
  }

  async function apply() {
    if (!plan) return;
    busy = true;
    const answer = await call<{ batch: number; model: { tables: { id: string; key: string }[] } }>(
      'POST',
      workspacePath(workspace, `/plans/${plan.id}/apply`),
      {},
      true,
    );
    busy = false;
    if (!answer.ok) {
      refused = answer.problem;
      plan = null;
      return;
    }
    const { batch } = answer.value;
    const words = waiting.length === 1 ? waitingWords(waiting[0] ?? {}) : `${waiting.length} changes`;
    throwAway();
    notices.done(`Done: ${words}.`, { label: 'Undo', run: () => void undo(batch) });
    const now = answer.value.model.tables.find(({ id }) => id === table.id);
    if (now && now.key !== table.key) await goto(`/w/${workspace}/t/${now.key}/structure`);
    else if (!now) await goto(`/w/${workspace}`);
    await invalidate('loom:model');
  }

  function save(before: FieldDraft | null, draft: FieldDraft) {
    wait(before ? changeFieldChange(table.key, before, draft) : addFieldChange(table.key, draft));
  }

  function key(event: KeyboardEvent) {
    if ((event.target as Element).closest('input, textarea, select, dialog, .cm-editor')) return;
    if (event.key === 'Escape' && panel) panel = null;
    else if (event.altKey && event.key.toLowerCase() === 'n' && designs) panel = { kind: 'new' };
    else if (event.altKey && event.key.toLowerCase() === 's') void goto(`/w/${workspace}/t/${table.key}`);
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>Structure of {table.label} · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={key} />

<div class="stage" style:--selvedge="var(--dye-{table.dye})">
  <TableHead {workspace} {table} side="structure">
    {#if designs}
      <Button kind="main" onclick={() => (panel = { kind: 'new' })} title="Alt+N">Add a field</Button>
    {/if}
  </TableHead>
  <p class="summary">
    known by <b>{titleField?.label ?? 'its number'}</b> · {counted(data.counts[table.key] ?? 0, 'record')} · {counted(table.fields.length, 'field')} · {counted(
      links.out,
      'link',
    )} out, {links.in} in
  </p>
  <div class="fields">
    <table>
      <thead><tr><th class="number">#</th><th>label</th><th>key</th><th>type</th><th>rules</th><th>comes from</th><th>used by</th></tr></thead>
      <tbody>
        {#each table.fields as field, index (field.id)}
          <tr class:chosen={shown?.id === field.id} class:woven={isCalculated(field)}>
            <td class="number soft">{index + 1}</td>
            <td><button onclick={() => (panel = { kind: 'field', id: field.id })}>{field.label}</button></td>
            <td><code>{field.key}</code></td>
            <td
              style:--dye={field.type.kind === 'link'
                ? `var(--dye-${data.model.tables.find(({ id }) => field.type.kind === 'link' && id === field.type.to)?.dye})`
                : undefined}
              class:link={field.type.kind === 'link'}>{typeWords(data.model, field)}</td
            >
            <td class="soft">{[field.required ? 'must be filled' : '', field.unique ? 'each once' : ''].filter(Boolean).join(', ')}</td>
            <td class="formula"
              >{#if field.type.kind === 'formula'}<code>{printFormula(data.model, field.type.formula)}</code>{/if}</td
            >
            <td class="soft">{goesTo(field).join(', ')}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if designs}<div class="bin">
        <Button kind="quiet" onclick={() => wait({ do: 'removeTable', table: table.key })}>Put the table in the bin</Button>
      </div>{/if}
  </div>
  {#if waiting.length > 0}
    <footer>
      <span>{counted(waiting.length, 'change')} waiting:</span>
      <ul>
        {#each waiting as change, index (index)}<li>{waitingWords(change)}</li>{/each}
      </ul>
      <Button kind="quiet" onclick={throwAway}>Throw away</Button>
      <Button kind="main" disabled={busy} onclick={() => void see()}>See the plan</Button>
    </footer>
  {/if}
</div>

{#if panel?.kind === 'new'}
  <Inspector kind="New field of" title={table.label} dye={table.dye} onclose={() => (panel = null)}>
    <FieldForm {workspace} model={data.model} {table} start={null} onsave={(draft) => save(null, draft)} />
  </Inspector>
{:else if shown}
  {@const draft = draftOf(data.model, shown)}
  <Inspector kind="Field of {table.label}" title={shown.label} dye={table.dye} onclose={() => (panel = null)}>
    {#if comesFrom(shown).length > 0}<p class="flow"><span>comes from</span> {comesFrom(shown).join(', ')}</p>{/if}
    {#if goesTo(shown).length > 0}<p class="flow"><span>goes to</span> {goesTo(shown).join(', ')}</p>{/if}
    {#if draft && designs}
      {#key shown.id}
        <FieldForm
          {workspace}
          model={data.model}
          {table}
          start={draft}
          onsave={(after) => save(draft, after)}
          onremove={() => wait({ do: 'removeField', table: table.key, field: shown.key })}
          onmove={(by) =>
            wait({ do: 'moveField', table: table.key, field: shown.key, to: Math.max(0, Math.min(table.fields.length - 1, table.fields.indexOf(shown) + by)) })}
        />
      {/key}
    {:else if shown.type.kind === 'counterpart'}
      <p>The other side of <b>{nameOf(shown.type.link)}</b>. Change or remove it there.</p>
    {:else}
      <p>{typeWords(data.model, shown)} {shown.help}</p>
    {/if}
  </Inspector>
{:else if panel?.kind === 'plan'}
  <Inspector kind="Plan" title="{counted(waiting.length, 'change')} to {table.label}" dye={table.dye} onclose={() => (panel = null)}>
    {#if refused}<p class="refused" role="alert"><b>{refused.message}</b> {refused.mend ?? ''}</p>
      <div class="again"><Button onclick={() => void see()}>Make the plan again</Button></div>{/if}
    {#if plan}<PlanPanel effects={plan.effects} possible={plan.possible} {busy} onapply={() => void apply()} onaway={throwAway} />{/if}
  </Inspector>
{/if}

<style>
  .stage {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-width: 0;
    border-left: 5px solid var(--selvedge);
  }
  .summary {
    padding: 0 14px 8px;
    color: var(--ink-soft);
    border-bottom: 1px solid var(--line);
  }
  .fields {
    flex: 1;
    overflow: auto;
    background: var(--raised);
  }
  table {
    width: 100%;
    font-size: 13px;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 6px 12px;
    text-align: left;
    vertical-align: baseline;
    border-bottom: 1px solid var(--line);
  }
  thead th {
    position: sticky;
    top: 0;
    color: var(--ink-faint);
    font-weight: 500;
    background: var(--ground);
  }
  .number {
    width: 44px;
    text-align: right;
  }
  td:nth-child(-n + 5),
  thead th {
    white-space: nowrap;
  }
  .bin {
    padding: 14px;
  }
  td button {
    font-weight: 600;
    text-align: left;
  }
  td button:hover {
    text-decoration: underline;
  }
  .soft {
    color: var(--ink-soft);
  }
  .link {
    box-shadow: inset 4px 0 0 -1px var(--dye);
  }
  .formula code {
    white-space: pre-wrap;
  }
  .chosen {
    background: var(--woad-tint);
  }
  footer {
    display: flex;
    gap: 12px;
    align-items: center;
    padding: 8px 14px;
    background: var(--weld-tint);
    border-top: 1px solid var(--weld);
  }
  footer ul {
    display: flex;
    flex: 1;
    flex-wrap: wrap;
    gap: 4px 14px;
    font-weight: 600;
  }
  .flow {
    margin-bottom: 8px;
    font-size: 13px;
  }
  .flow span {
    color: var(--ink-faint);
  }
  .refused {
    color: var(--madder);
  }
  .again {
    margin-top: 10px;
  }
</style>
