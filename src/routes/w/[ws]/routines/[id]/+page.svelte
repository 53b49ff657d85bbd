<script lang="ts">
  import { say } from '$core/base/say';
  import Undo2 from '@lucide/svelte/icons/undo-2';
  import { onMount, untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { Written } from '$core/filled/written';
  import { ownTables, tableNamed } from '$core/model/model';
  import { printPart } from '$core/parts/parts';
  import { triggerDescriptors } from '$core/routines/triggers';
  import { freeLabel } from '$core/model/names/naming';
  import type { Model, Table } from '$core/types/model';
  import { partsOf } from '$core/types/part';
  import type { TriggerKind } from '$core/types/routine';
  import type { RoutineOut } from '$server/routines/routines';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import ConditionField from '$ui/forms/design/ConditionField.svelte';
  import { DesignPlace } from '$ui/designPlace';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import ResumedDraft from '$ui/ResumedDraft.svelte';
  import { renewed } from '$ui/renewed';
  import { whyNotRunning } from '$ui/routines/state';
  import { RoutineDesign } from '$ui/routines/routineDesign.svelte';
  import StepList from '$ui/routines/StepList.svelte';
  import { triggerUis } from '$ui/routines/trigger';
  import TryPanel from '$ui/routines/TryPanel.svelte';

  /** Where a routine is designed: when, for which records, and what is done then; tried beside. */
  const { data } = $props();
  const { notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const root = $derived(`/w/${workspace}/routines`);
  const id = $derived(page.params.id === 'new' ? null : (page.params.id ?? null));
  const standing = (model: Model, wanted: string | null) =>
    ownTables(model)
      .flatMap((one) => partsOf(one, 'routine').map((routine) => ({ table: one, routine })))
      .find(({ routine }) => routine.id === wanted);
  const table = $derived(
    id === null ? tableNamed(data.model, page.url.searchParams.get('table') ?? '') : standing(data.model, id)?.table,
  );
  const printed = (wanted: string | null): Written | null => {
    const found = standing(data.model, wanted);
    return found ? printPart(data.model, found.table, 'routine', found.routine).json : null;
  };
  const blank = (on: Table): Written => ({
    label: freeLabel(
      `Routine of ${on.label}`,
      partsOf(on, 'routine').map(({ label }) => label),
    ),
    on: false,
    when: { on: 'made' },
    where: '',
    steps: [],
    failing: 'refuse',
  });
  const place = new DesignPlace<RoutineDesign>();
  const design = $derived.by(() => {
    const [now, on] = [id, table];
    if (!on) return null;
    return place.designOf(now, `${workspace} ${now ?? on.id}`, () => {
      const ground = () => ({
        workspace,
        model: data.model,
        table: data.model.tables.find((one) => one.id === on.id) ?? on,
      });
      return new RoutineDesign(printed(now) ?? blank(on), now, ground);
    });
  });
  // What somebody else saved, or a field that is called otherwise now, is shown, unless it is changed here.
  $effect(() => {
    const json = printed(id);
    if (json) untrack(() => design?.draft.follow(json));
  });
  const when = $derived((design?.json.when ?? {}) as Written);
  const TriggerForm = $derived(triggerUis[when.on as TriggerKind]?.form ?? null);
  const problemIn = (place: string) => (String(design?.problem?.at ?? '').startsWith(place) ? design?.problem : null);
  const isOn = $derived(design?.json.on === true);
  let trying = $state(false);
  // Beside it where there is room; on a phone it would stand before it.
  onMount(() => void (trying = matchMedia('(min-width: 1001px)').matches));
  let conditioned = $state(false);
  /** How it stands: what was tried before may be switched on again. */
  let stands = $state.raw<RoutineOut | null>(null);
  async function readStanding(wanted: string | null) {
    const path = workspacePath(workspace, '/routines');
    const answer = wanted === null ? null : await call<{ items: RoutineOut[] }>('GET', path);
    stands = answer?.ok ? (answer.value.items.find((one) => one.id === wanted) ?? null) : null;
  }
  $effect(() => {
    const wanted = id;
    untrack(() => void readStanding(wanted));
  });
  const wasTried = $derived(
    design !== null &&
      ((design.isTried && design.tried?.met === true) || (!design.isChanged && stands?.tried === true)),
  );
  const why = $derived(stands && design && !design.isChanged && isOn ? whyNotRunning(stands) : null);
  const where = $derived(String(design?.json.where ?? ''));

  async function save(on: boolean) {
    if (!design) return;
    const isNew = design.id === null;
    const tried = wasTried;
    const answer = await design.save(on);
    if (!answer.ok) return notices.refused(answer.problem);
    await renewed('loom:model');
    await readStanding(answer.value.id);
    if (isNew) await goto(`${root}/${answer.value.id}`, { replaceState: true, keepFocus: true, noScroll: true });
    notices.done(
      !on
        ? `“${String(design.json.label)}” is saved; it is off.`
        : tried
          ? `“${String(design.json.label)}” is saved and on.`
          : `“${String(design.json.label)}” is saved. It runs once it was tried as it is.`,
    );
  }

  async function remove() {
    if (!design || design.id === null || !table) return;
    const label = String(design.json.label);
    const answer = await call('DELETE', workspacePath(workspace, `/tables/${table.key}/routines/${design.id}`));
    if (!answer.ok) return notices.refused(answer.problem);
    await goto(root, { invalidateAll: true });
    notices.done(`“${label}” was deleted; undo it in History.`);
  }

  function key(event: KeyboardEvent) {
    const writes = (event.target as Element).closest('input, textarea, select, dialog, .cm-editor');
    const command = event.ctrlKey || event.metaKey;
    if (command && event.key.toLowerCase() === 's') void (!design?.problem && save(isOn));
    else if (command && event.key.toLowerCase() === 'z' && !writes) design?.stepBack();
    else if (event.key === 'Escape' && !writes && trying) trying = false;
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>{String(design?.json.label ?? 'Routine')} · {data.workspace.label} · Inner Loom</title></svelte:head
>
<svelte:window
  onkeydown={key}
  onbeforeunload={(event) => design?.canStepBack && design.isChanged && event.preventDefault()}
/>

{#if !data.workspace.may.routines || !design || !table}
  <section class="work">
    <p>
      {data.workspace.may.routines ? 'This routine is not here any more.' : 'Routines are for those who manage them.'}
      <a href={root}>All routines</a>
    </p>
  </section>
{:else}
  <section class="work" style:--selvedge="var(--dye-{table.dye})">
    <p class="way"><a href={root}>Routines</a> <span aria-hidden="true">›</span> {table.label}</p>
    <div class="bar">
      <input
        class="name"
        aria-label="Name of the routine"
        value={design.json.label}
        maxlength="120"
        oninput={(event) => design.change({ label: event.currentTarget.value })}
      />
      <span class="state" class:on={isOn}>{isOn ? 'on' : 'off'}</span>
      <Button
        disabled={!design.canStepBack}
        onclick={() => design.stepBack()}
        title="Step back, Ctrl+Z"
        label="Step back"><Undo2 size={16} /></Button
      >
      <Button pressed={trying} onclick={() => (trying = !trying)}>Try it</Button>
      {#if isOn}
        <Button disabled={design.busy !== ''} onclick={() => void save(false)}>Switch off</Button>
        <Button
          kind="main"
          title="Ctrl+S"
          disabled={!design.isChanged || design.problem !== null || design.busy !== ''}
          onclick={() => void save(true)}>{design.isChanged ? 'Save' : 'Saved'}</Button
        >
      {:else}
        <Button
          title="Ctrl+S"
          disabled={!design.isChanged || design.problem !== null || design.busy !== ''}
          onclick={() => void save(false)}>{design.isChanged ? 'Save' : 'Saved'}</Button
        >
        <Button
          kind="main"
          title={wasTried ? '' : 'Try it first'}
          disabled={design.problem !== null || design.busy !== '' || !wasTried}
          onclick={() => void save(true)}>Switch on</Button
        >
      {/if}
    </div>
    <p class="sentence" aria-live="polite">
      {#if design.sentence}{design.sentence}{:else}<span class="soft"
          >Say when it is set off and what is done; it is read back here in one sentence.</span
        >{/if}
    </p>

    <ResumedDraft draft={design.draft} />
    {#if why}<p class="problem" role="status">It does not run: {why}. {stands?.problem ?? ''}</p>{/if}

    <h2>When</h2>
    <div class="card">
      <select
        class="in-line"
        aria-label="When it is set off"
        value={when.on}
        onchange={(event) => {
          const on = event.currentTarget.value as TriggerKind;
          design.change({ when: { on, ...triggerUis[on].begin } });
        }}
      >
        {#each Object.entries(triggerDescriptors) as [kind, { label }] (kind)}<option value={kind}>{say(label)}</option
          >{/each}
      </select>
      {#if TriggerForm}
        <TriggerForm
          model={data.model}
          table={design.ground.table}
          {when}
          onchange={(next) => design.change({ when: next })}
        />
      {/if}
      {#if problemIn('/when')}<p class="problem" role="status">
          {problemIn('/when')?.message}
          {problemIn('/when')?.fix ?? ''}
        </p>{/if}
    </div>

    <h2>Only for records where</h2>
    <div class="card">
      {#if where !== '' || conditioned}
        <ConditionField
          model={design.scopes.first.model}
          table={design.scopes.first.table}
          formula={where}
          zone={data.workspace.zone}
          label="Only for records where"
          onchange={(next) => design.change({ where: next })}
        />
      {:else}
        <span class="soft">all records of {table.label}</span>
        <button class="link" onclick={() => (conditioned = true)}>+ condition</button>
      {/if}
      {#if problemIn('/where')}<p class="problem" role="status">{problemIn('/where')?.message}</p>{/if}
    </div>

    <h2>Then</h2>
    <StepList
      model={data.model}
      {design}
      scope={design.scopes.first}
      steps={(design.json.steps ?? []) as readonly Written[]}
      place="/steps"
      onchange={(steps) => design.change({ steps })}
    />

    <h2>If it cannot be done</h2>
    <div class="card">
      <label
        ><input
          type="radio"
          name="failing"
          checked={design.json.failing !== 'goOn'}
          onchange={() => design.change({ failing: 'refuse' })}
        /> the edit that set it off is refused, with the reason</label
      >
      <label
        ><input
          type="radio"
          name="failing"
          checked={design.json.failing === 'goOn'}
          onchange={() => design.change({ failing: 'goOn' })}
        /> the edit goes on without it, and the reason stands in the log of runs</label
      >
    </div>
    {#if design.id !== null}
      <p class="foot">
        <a href="{root}/runs?routine={design.id}">Its runs</a>
        <Button kind="danger" onclick={() => void remove()}>Delete the routine</Button>
      </p>
    {/if}
  </section>
  {#if trying}
    <Inspector kind="Try" title={String(design.json.label)} dye={table.dye} onclose={() => (trying = false)}>
      <TryPanel
        {design}
        ontried={() => void readStanding(design.id)}
        onrefused={(problem) => notices.refused(problem)}
      />
    </Inspector>
  {/if}
{/if}

<style>
  .work {
    flex: 1;
    min-width: 0;
    padding: 14px 28px 40px;
    overflow: auto;
    border-left: 5px solid var(--selvedge, transparent);
  }
  .way {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    max-width: 860px;
  }
  .name {
    flex: 1 1 220px;
    min-width: 0;
    padding: 2px 6px;
    margin-left: -6px;
    font-size: 20px;
    font-weight: 600;
    color: var(--ink);
    background: transparent;
    border: 1px solid transparent;
    border-radius: var(--radius);
  }
  .name:hover,
  .name:focus {
    border-color: var(--line-strong);
  }
  .state {
    padding: 0 8px;
    color: var(--ink-soft);
    font-size: 13px;
    border: 1px solid var(--line-strong);
    border-radius: 10px;
  }
  .state.on {
    color: var(--woad);
    border-color: var(--woad);
  }
  .sentence {
    max-width: 860px;
    padding: 8px 12px;
    margin: 8px 0 4px;
    overflow-wrap: anywhere;
    background: var(--woven);
    border-left: 3px solid var(--woad);
  }
  h2 {
    margin: 14px 0 5px;
    color: var(--ink-soft);
    font-size: 14px;
  }
  .card {
    padding: 8px 12px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .card,
  .work > :global(.steps) {
    max-width: 846px;
  }
  .card label {
    display: block;
  }
  .soft {
    color: var(--ink-soft);
  }
  .link {
    margin-left: 8px;
    color: var(--woad);
  }
  .problem {
    margin-top: 4px;
    color: var(--weld);
    font-size: 13px;
  }
  .foot {
    display: flex;
    gap: 16px;
    align-items: center;
    max-width: 860px;
    margin-top: 18px;
  }
  .foot a {
    margin-right: auto;
  }
  @media (max-width: 700px) {
    .work {
      padding: 12px 14px 30px;
    }
  }
</style>
