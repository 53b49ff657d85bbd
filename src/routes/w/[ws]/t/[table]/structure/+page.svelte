<script lang="ts">
  import { untrack } from 'svelte';
  import { page } from '$app/state';
  import { goto } from '$app/navigation';
  import { printFormula } from '$core/formula/printer';
  import { fieldNamed, fieldOf, isSystem, isToMany, ownTables } from '$core/model/model';
  import type { Field } from '$core/types/field';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import Menu from '$ui/controls/Menu.svelte';
  import { waysFromField, waysFromTable } from '$ui/transfer/ways';
  import Inspector from '$ui/frame/Inspector.svelte';
  import { useFrame } from '$ui/frame/context';
  import { addFieldChange, changeFieldChanges, draftOf, waitingWords } from '$ui/structure/field/draft';
  import type { ChangeDraft, FieldDraft } from '$ui/fieldTypes/fieldDraft';
  import { TableFacts } from '$ui/structure/facts.svelte';
  import { ruleChanges } from '$ui/structure/field/fieldRules';
  import FeedPart from '$ui/structure/FeedPart.svelte';
  import FieldForm from '$ui/structure/field/FieldForm.svelte';
  import FieldRows from '$ui/structure/field/FieldRows.svelte';
  import PasteForm from '$ui/structure/field/PasteForm.svelte';
  import PlanPanel from '$ui/structure/PlanPanel.svelte';
  import SamplesForm from '$ui/structure/SamplesForm.svelte';
  import RuleForm from '$ui/structure/RuleForm.svelte';
  import TableForm from '$ui/structure/TableForm.svelte';
  import { WaitingChanges } from '$ui/structure/waiting.svelte';
  import ImpactList from '$ui/structure/ImpactList.svelte';
  import FieldWay from '$ui/structure/field/FieldWay.svelte';
  import TableStage from '$ui/TableStage.svelte';
  import { habit } from '$ui/values/habit';
  import { typeWords } from '$ui/values/show';
  import { counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const { notices, workspace: here } = useFrame();
  const workspace = $derived(data.workspace.key);
  const table = $derived(data.table);
  const designs = $derived(data.workspace.may.tables[table.id]?.design ?? false);
  let panel = $state<
    { kind: 'new' | 'paste' | 'rule' | 'table' | 'samples' | 'plan' } | { kind: 'field'; id: string } | null
  >(null);
  let showSystem = $state(false);
  const waiting = new WaitingChanges(
    () => data.workspace.key,
    'structure',
    () => data.model,
  );

  // An address can name the field that is looked at.
  $effect(() => {
    const name = page.url.searchParams.get('field');
    const named =
      name === null
        ? undefined
        : fieldNamed(
            untrack(() => table),
            name,
          );
    if (named) panel = { kind: 'field', id: named.id };
  });

  // Another structure is counted anew; the page stands before any of it has come.
  const shape = $derived(
    JSON.stringify([workspace, table.key, table.fields.map(({ id, key, type }) => [id, key, type.kind])]),
  );
  const facts = $derived(new TableFacts(workspace, table.key, shape));
  $effect(() => {
    const counting = facts;
    void counting.count(table.fields.filter((field) => !isSystem(field)));
    return () => counting.stop();
  });

  const shown = $derived.by(() => {
    const open = panel;
    return open?.kind === 'field' ? table.fields.find(({ id }) => id === open.id) : undefined;
  });
  const links = $derived({
    out: table.fields.filter((field) => field.type.kind === 'link' || isToMany(field)).length,
    in: table.fields.filter((field) => field.type.kind === 'counterpart' && !isToMany(field)).length,
  });
  const own = $derived(table.fields.filter((field) => !isSystem(field)));
  const titleField = $derived(table.fields.find(({ id }) => id === table.title));
  function wait(...changes: ChangeDraft[]) {
    waiting.add(changes);
    panel = null;
  }

  async function see() {
    await waiting.see();
    panel = { kind: 'plan' };
  }

  function throwAway() {
    waiting.throwAway();
    panel = null;
  }

  async function undo(batch: number) {
    const answer = await call('POST', workspacePath(workspace, `/batches/${batch}/undo`));
    if (!answer.ok) return notices.refused(answer.problem);
    await renewed('loom:model');
    notices.done('Undone.');
  }

  async function apply() {
    const { changes } = waiting;
    const words =
      changes[0] && changes.length === 1 ? waitingWords(changes[0], table.fields) : `${changes.length} changes`;
    const done = await waiting.apply();
    if (!done) return;
    panel = null;
    notices.done(`Done: ${words}.`, { label: 'Undo', run: () => void undo(done.batch) });
    const now = done.model.tables.find(({ id }) => id === table.id);
    // Under another key the page is another one, which needs the new model at once.
    if (now && now.key !== table.key) await goto(`/w/${workspace}/t/${now.key}/structure`, { invalidateAll: true });
    else if (!now) await goto(`/w/${workspace}`, { invalidateAll: true });
    else await renewed('loom:model');
  }

  function save(field: Field | null, before: FieldDraft | null, draft: FieldDraft) {
    wait(
      ...(field && before ? changeFieldChanges(table.id, field.id, before, draft) : [addFieldChange(table.id, draft)]),
      ...ruleChanges(data.model, table, before, draft, { ...habit(), zone: here.zone }),
    );
  }

  function move(field: Field, to: number) {
    wait({ do: 'moveField', table: table.id, field: field.id, to: Math.max(0, Math.min(table.fields.length - 1, to)) });
  }

  function key(event: KeyboardEvent) {
    if ((event.target as Element).closest('input, textarea, select, dialog, .cm-editor')) return;
    if (event.key === 'Escape' && panel) panel = null;
    else if (event.altKey && event.key.toLowerCase() === 'n' && designs) panel = { kind: 'new' };
    else if (event.altKey && event.key.toLowerCase() === 'v' && designs) panel = { kind: 'paste' };
    else if (event.altKey && event.key.toLowerCase() === 'p' && waiting.changes.length > 0) void see();
    else if (event.altKey && event.key.toLowerCase() === 's') void goto(`/w/${workspace}/t/${table.key}`);
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>Structure of {table.label} · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={key} />

<TableStage {table} side="structure">
  {#snippet head()}
    {#if designs}
      <Menu
        label="More to do with this table"
        items={[
          { label: 'Paste a list of fields', keys: 'Alt+V', run: () => (panel = { kind: 'paste' }) },
          { label: 'Add a rule', run: () => (panel = { kind: 'rule' }) },
          { label: 'Name, colour, icon and title field', run: () => (panel = { kind: 'table' }) },
          ...(table.privateTo === undefined
            ? []
            : [
                {
                  label: 'Share the table with the workspace',
                  run: () => wait({ do: 'changeTable', table: table.id, set: { private: false } }),
                },
              ]),
          {
            label: showSystem ? 'Hide the system’s fields' : 'Show the system’s fields',
            run: () => (showSystem = !showSystem),
          },
          ...waysFromTable(workspace, table).map(({ label, href }) => ({ label, href })),
          { label: 'Sample records …', run: () => (panel = { kind: 'samples' }) },
          { label: 'Copy the table', run: () => void goto(`/w/${workspace}?new&from=${table.key}`) },
          { label: 'Put the table in the bin', run: () => wait({ do: 'removeTable', table: table.id }) },
        ]}>More ▾</Menu
      >
      <Button kind="main" onclick={() => (panel = { kind: 'new' })} title="Alt+N">Add a field</Button>
    {/if}
  {/snippet}
  <p class="summary">
    known by <b>{titleField?.label ?? 'its number'}</b> · {counted(data.counts[table.key] ?? 0, 'record')} · {counted(
      own.length,
      'field',
    )} · {counted(links.out, 'link')} out, {links.in} in
  </p>
  <div class="fields">
    <FieldRows
      model={data.model}
      {table}
      facts={facts.found}
      chosen={shown?.id ?? null}
      mayDesign={designs}
      {showSystem}
      onchoose={(field) => (panel = { kind: 'field', id: field.id })}
      onmove={move}
    />
    {#if (table.rules ?? []).length > 0}
      <h2>Rules</h2>
      <ul class="rules">
        {#each table.rules ?? [] as rule (rule.id)}
          <li>
            <span>{rule.message}</span>
            <code
              >{rule.kind === 'holds'
                ? printFormula(data.model, rule.condition)
                : `unique: ${rule.fields.map((id) => fieldOf(data.model, id).field.key).join(', ')}`}</code
            >
            {#if rule.fromNow}<small>from now on</small>{/if}
            {#if designs}<Button kind="quiet" onclick={() => wait({ do: 'removeRule', table: table.id, rule: rule.id })}
                >Remove</Button
              >{/if}
          </li>
        {/each}
      </ul>
    {/if}
    {#key table.id}<FeedPart
        {workspace}
        model={data.model}
        {table}
        mayDesign={designs}
        onwait={wait}
        onended={(label, batch) => {
          notices.done(`${label} is fed from here no longer.`, { label: 'Undo', run: () => void undo(batch) });
          void renewed('loom:model');
        }}
      />{/key}
  </div>
  {#if waiting.changes.length > 0}
    <footer>
      <span>{counted(waiting.changes.length, 'change')} waiting:</span>
      <ul>
        {#each waiting.changes as change, index (index)}<li>
            {waitingWords(change, table.fields)}
            <button aria-label="Leave {waitingWords(change, table.fields)} out" onclick={() => waiting.takeOut(index)}
              >×</button
            >
          </li>{/each}
      </ul>
      <Button kind="quiet" onclick={throwAway}>Discard</Button>
      <Button kind="main" disabled={waiting.busy} onclick={() => void see()} title="Alt+P">See the plan</Button>
    </footer>
  {/if}
</TableStage>

{#if panel?.kind === 'new'}
  <Inspector kind="New field of" title={table.label} dye={table.dye} onclose={() => (panel = null)}>
    <FieldForm
      {workspace}
      model={data.model}
      {table}
      others={data.otherTables}
      start={null}
      onsave={(draft) => save(null, null, draft)}
    />
  </Inspector>
{:else if panel?.kind === 'paste'}
  <Inspector kind="New fields of" title={table.label} dye={table.dye} onclose={() => (panel = null)}>
    <PasteForm
      targets={[...ownTables(data.model).map(({ key, label }) => ({ path: key, label })), ...data.otherTables]}
      onadd={(drafts) => wait(...drafts.map((draft) => addFieldChange(table.id, draft)))}
    />
  </Inspector>
{:else if panel?.kind === 'samples'}
  <Inspector kind="Sample records of" title={table.label} dye={table.dye} onclose={() => (panel = null)}>
    <SamplesForm {workspace} {table} />
  </Inspector>
{:else if panel?.kind === 'rule'}
  <Inspector kind="New rule of" title={table.label} dye={table.dye} onclose={() => (panel = null)}>
    <RuleForm {workspace} model={data.model} {table} onsave={(change) => wait(change)} />
  </Inspector>
{:else if panel?.kind === 'table'}
  <Inspector kind="Table" title={table.label} dye={table.dye} onclose={() => (panel = null)}>
    <TableForm {table} onsave={(set) => wait({ do: 'changeTable', table: table.id, set })} />
  </Inspector>
{:else if shown}
  {@const draft = draftOf(data.model, shown)}
  <Inspector kind="Field of {table.label}" title={shown.label} dye={table.dye} onclose={() => (panel = null)}>
    {#key shown.id}<ImpactList {workspace} model={data.model} field={shown} />{/key}
    {#if draft && designs}
      {#key shown.id}
        <FieldForm
          {workspace}
          model={data.model}
          {table}
          others={data.otherTables}
          start={draft}
          system={isSystem(shown)}
          onsave={(after) => save(shown, draft, after)}
          onremove={() => wait({ do: 'removeField', table: table.id, field: shown.id })}
          onmove={(by) => move(shown, table.fields.indexOf(shown) + by)}
          ontable={shown.type.kind === 'option' || shown.type.kind === 'options'
            ? () => wait({ do: 'optionsToTable', table: table.id, field: shown.id, label: `${shown.label} list` })
            : undefined}
        />
      {/key}
      {#if waysFromField(workspace, table, shown).length > 0 && !isSystem(shown)}
        <p class="ways">
          Its values:
          {#each waysFromField(workspace, table, shown) as { label, href }, at (href)}{at > 0 ? ' · ' : ''}<a {href}
              >{label}</a
            >{/each}
        </p>
      {/if}
    {:else if shown.type.kind === 'counterpart'}
      <p>
        The reverse of <FieldWay {workspace} model={data.model} id={shown.type.link} />. What it points at and its rules
        are changed there.
      </p>
      {#if designs}
        <form
          class="names"
          onsubmit={(event) => {
            event.preventDefault();
            const sent = new FormData(event.currentTarget);
            wait({
              do: 'changeField',
              table: table.id,
              field: shown.id,
              set: { label: String(sent.get('label')), key: String(sent.get('key')), off: sent.get('shown') !== 'on' },
            });
          }}
        >
          <label>Label<input name="label" value={shown.label} required /></label>
          <label>Key<input name="key" value={shown.key} required pattern="[a-z][a-z0-9_]*" /></label>
          <label class="tick"><input type="checkbox" name="shown" checked={!shown.off} /> shown</label>
          <Button kind="main" type="submit">Put the change in the plan</Button>
        </form>
      {/if}
    {:else}
      <p>{typeWords(data.model, shown)} {shown.help}</p>
    {/if}
  </Inspector>
{:else if panel?.kind === 'plan'}
  <Inspector
    kind="Plan"
    title="{counted(waiting.changes.length, 'change')} to {table.label}"
    dye={table.dye}
    onclose={() => (panel = null)}
  >
    {#if waiting.refused}<p class="refused" role="alert">
        <b>{waiting.refused.message}</b>
        {waiting.refused.fix ?? ''}
      </p>
      <div class="again"><Button onclick={() => void see()}>Make the plan again</Button></div>{/if}
    {#if waiting.plan}<PlanPanel
        {waiting}
        plan={waiting.plan}
        root="/w/{workspace}/t/{table.key}"
        onapply={() => void apply()}
        onaway={throwAway}
      />{/if}
  </Inspector>
{/if}

<style>
  .ways {
    margin-top: 16px;
    color: var(--ink-soft);
    font-size: 13px;
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
  h2 {
    padding: 16px 14px 4px;
    font-size: 15px;
  }
  .rules li {
    display: flex;
    gap: 14px;
    align-items: baseline;
    padding: 3px 14px;
    border-bottom: 1px solid var(--line);
  }
  small {
    color: var(--weld);
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
  footer li button {
    padding: 0 4px;
    color: var(--ink-soft);
  }
  .names {
    display: grid;
    gap: 10px;
    margin-top: 12px;
  }
  .names input:not([type='checkbox']) {
    display: block;
    width: 100%;
    padding: 5px 10px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .refused {
    color: var(--madder);
  }
  .again {
    margin-top: 10px;
  }
</style>
