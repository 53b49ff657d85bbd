<script lang="ts">
  import Undo2 from '@lucide/svelte/icons/undo-2';
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { formsOf } from '$core/forms/form';
  import { formJson, type FormJson } from '$core/forms/formJson';
  import type { Field } from '$core/types/field';
  import { freeLabel } from '$core/model/names/naming';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { addSection, emptyDesign, unplaced } from '$ui/forms/design/design';
  import DesignInspector from '$ui/forms/design/DesignInspector.svelte';
  import FieldShelf from '$ui/forms/design/FieldShelf.svelte';
  import { FormAddresses } from '$ui/forms/design/formAddresses.svelte';
  import FormCanvas from '$ui/forms/design/FormCanvas.svelte';
  import { FormDesign } from '$ui/forms/design/formDesign.svelte';
  import FormPreview from '$ui/forms/design/FormPreview.svelte';
  import { insideChoices } from '$ui/forms/fill/sending';
  import { DesignPlace } from '$ui/designPlace';
  import { useFrame } from '$ui/frame/context';
  import TableStage from '$ui/TableStage.svelte';
  import ResumedDraft from '$ui/ResumedDraft.svelte';
  import { renewed } from '$ui/renewed';

  /** Where a form is designed: its fields beside it, its settings in the inspector, its look as wide as it will be. */
  const { data } = $props();
  const { notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const { table, model } = $derived(data);
  const { zone, day } = $derived(data.workspace);
  const path = $derived(workspacePath(workspace, `/tables/${table.key}/forms`));
  const root = $derived(`/w/${workspace}/t/${table.key}/forms`);
  const designs = $derived(data.workspace.may.tables[table.id]?.design ?? false);
  const id = $derived(page.params.form === 'new' ? null : (page.params.form ?? null));
  const audience = $derived(page.url.searchParams.get('for') === 'inside' ? 'inside' : 'outside');
  /** The form that a new one begins as a copy of. */
  const copied = $derived(
    id === null ? formsOf(table).find((one) => one.id === page.url.searchParams.get('from')) : undefined,
  );
  const copyOf = (json: FormJson): FormJson => ({
    ...json,
    label: freeLabel(
      `${json.label} copy`,
      formsOf(table).map(({ label }) => label),
    ),
  });
  const place = new DesignPlace<FormDesign>();
  const design = $derived.by(() => {
    const [now, forWhom, from] = [id, audience, copied] as const;
    return place.designOf(now, `${table.id} ${now ?? `new ${forWhom} ${from?.id ?? ''}`}`, () => {
      const form = formsOf(table).find((one) => one.id === now);
      const start = form
        ? formJson(model, table, form).form
        : from
          ? copyOf(formJson(model, table, from).form)
          : emptyDesign(forWhom);
      return new FormDesign(start, now, () => ({ model, table, path }));
    });
  });
  // What somebody else saved, or a field that is called otherwise now, is shown, unless it is changed here.
  $effect(() => {
    const form = formsOf(table).find((one) => one.id === id);
    if (form) untrack(() => design.draft.follow(formJson(model, table, form).form));
  });
  const addresses = new FormAddresses(() => `${path}/${id}/addresses`, notices);
  let look = $state<'design' | 'wide' | 'phone'>('design');
  let inspector = $state<ReturnType<typeof DesignInspector> | null>(null);
  const hasAddresses = $derived(id !== null && design.saved.audience === 'outside');

  $effect(() => {
    if (hasAddresses) void addresses.read();
  });
  $effect(() => {
    const asked = page.url.searchParams.get('side');
    untrack(() => {
      if (asked === 'addresses') design.choose({ kind: 'addresses' });
      // A new one begins with its name.
      else if (id === null) inspector?.focus();
    });
  });

  async function save() {
    const answer = await design.save();
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`“${design.json.label}” is saved.`);
    await renewed('loom:model');
    if (id === null) await goto(`${root}/${answer.value.id}`, { replaceState: true, keepFocus: true, noScroll: true });
  }

  async function takeAway() {
    const answer = await call('DELETE', `${path}/${id}`);
    if (!answer.ok) return notices.refused(answer.problem);
    await goto(root, { invalidateAll: true });
    notices.done(`“${design.saved.label}” was deleted; undo it in History.`);
  }

  function toSettings() {
    inspector?.focus();
  }
  function toProblem() {
    design.goToProblem();
    toSettings();
  }
  const choices = (field: Field) => (typed: string) => {
    const isSaved =
      id !== null &&
      design.saved.sections.some(({ items }) => items.some((item) => 'field' in item && item.field === field.key));
    const candidates = isSaved
      ? `${path}/${id}/candidates/${field.key}`
      : workspacePath(workspace, `/tables/${table.key}/fields/${field.key}/candidates`);
    return insideChoices(workspace, candidates, field, typed, {}, null);
  };

  function key(event: KeyboardEvent) {
    const writes = (event.target as Element).closest('input, textarea, select, dialog, .cm-editor');
    const command = event.ctrlKey || event.metaKey;
    if (command && event.key.toLowerCase() === 's') void (design.problem ? toProblem() : save());
    else if (command && event.key.toLowerCase() === 'z' && !writes) design.stepBack();
    else if (event.key === 'Escape' && !writes) design.choose({ kind: 'form' });
    else if (event.altKey && event.key.toLowerCase() === 'v') look = look === 'design' ? 'phone' : 'design';
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>{design.json.label || 'New form'} · {table.label} · Inner Loom</title></svelte:head>
<svelte:window
  onkeydown={key}
  onbeforeunload={(event) => design.isChanged && design.canStepBack && event.preventDefault()}
/>

<TableStage {table} side="forms">
  {#if designs}
    <div class="bar">
      <button class="name" onclick={() => (design.choose({ kind: 'form' }), toSettings())}>
        <b>{design.json.label || 'A form without a name'}</b><small
          >{design.json.audience === 'outside' ? 'for outsiders' : 'for members'}</small
        >
      </button>
      <div class="looks" role="group" aria-label="How it is shown" title="Alt+V">
        {#each [['design', 'Design'], ['wide', 'Preview'], ['phone', 'Phone']] as const as [name, label] (name)}
          <button aria-pressed={look === name} onclick={() => (look = name)}>{label}</button>
        {/each}
      </div>
      <span class="space"></span>
      <Button onclick={() => (design.choose({ kind: 'form' }), toSettings())} pressed={design.chosen.kind === 'form'}
        >Settings</Button
      >
      {#if hasAddresses}
        <Button onclick={() => design.choose({ kind: 'addresses' })} pressed={design.chosen.kind === 'addresses'}
          >Addresses ({addresses.all.length})</Button
        >
      {/if}
      <Button
        disabled={!design.canStepBack}
        onclick={() => design.stepBack()}
        title="Step back, Ctrl+Z"
        label="Step back"><Undo2 size={16} /></Button
      >
      <Button
        kind="main"
        disabled={!design.isChanged || design.problem !== null}
        onclick={() => void save()}
        title="Ctrl+S">{design.isChanged ? 'Save the form' : 'Saved'}</Button
      >
    </div>
    <ResumedDraft draft={design.draft} />
    {#if design.problem}
      <p class="problem" role="status">
        {design.problem.message}
        {design.problem.fix ?? ''} <button onclick={toProblem}>go there</button>
      </p>
    {:else if design.missing.length > 0}
      <p class="problem" role="status">
        {design.missing.map(({ label }) => label).join(', ')}
        {design.missing.length === 1 ? 'is' : 'are'} required in every record of {table.label} and not on the form: no entry
        could be saved.
        <button onclick={() => design.missing[0] && design.add(design.missing[0])}
          >put {design.missing[0]?.label} on it</button
        >
      </p>
    {/if}
    <div class="work">
      {#if look === 'design'}<FieldShelf
          {model}
          fields={unplaced(table, design.json)}
          onadd={(field) => design.add(field)}
        />{/if}
      <div class="table">
        {#if look === 'design'}
          <div class="paper">
            <h2>{design.json.label || 'A form without a name'}</h2>
            {#if design.json.intro}<p class="intro">{design.json.intro}</p>{/if}
            <FormCanvas
              {model}
              {table}
              form={design.json}
              chosen={design.chosen}
              {zone}
              onchange={(form) => design.change(form)}
              onchoose={(chosen) => design.choose(chosen)}
              onsettings={toSettings}
            />
            <Button
              kind="quiet"
              onclick={() =>
                design.change(addSection(design.json, design.json.sections.length), {
                  kind: 'section',
                  at: design.json.sections.length,
                })}>Add a section</Button
            >
          </div>
        {:else}
          <div class="paper" class:phone={look === 'phone'} aria-label="Preview" role="region">
            <h2>{design.json.label}</h2>
            <FormPreview
              {design}
              {zone}
              today={day}
              {choices}
              ontried={() => notices.done('It would be taken. Nothing was written: this is the preview.')}
            />
          </div>
        {/if}
      </div>
    </div>
  {:else}
    <p class="problem" role="status">
      Forms of {table.label} are designed by those who may change its structure. <a href={root}>Forms to fill in</a>
    </p>
  {/if}
</TableStage>

<DesignInspector
  bind:this={inspector}
  {design}
  {addresses}
  origin={page.url.origin}
  {zone}
  {choices}
  onclose={() => void goto(root)}
  onremove={id === null ? undefined : () => void takeAway()}
/>

<style>
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    padding: 0 14px 8px;
    border-bottom: 1px solid var(--line);
  }
  .name {
    display: flex;
    flex-direction: column;
    max-width: 220px;
    line-height: 1.2;
    text-align: left;
  }
  .name b {
    overflow: hidden;
    font-size: 16px;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  small {
    color: var(--ink-soft);
  }
  .space {
    flex: 1;
  }
  .looks {
    display: flex;
    margin-left: 8px;
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .looks button {
    padding: 2px 10px;
    color: var(--ink-soft);
  }
  .looks [aria-pressed='true'] {
    color: var(--ink);
    font-weight: 600;
    background: var(--woad-tint);
  }
  .problem {
    padding: 5px 14px;
    color: var(--weld);
    background: var(--weld-tint);
  }
  .problem button {
    text-decoration: underline;
  }
  .work {
    display: flex;
    flex: 1;
    min-height: 0;
  }
  .table {
    flex: 1;
    padding: 18px;
    overflow: auto;
    background: var(--sunken);
  }
  .paper {
    max-width: 680px;
    padding: 20px 22px;
    margin: 0 auto;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  .paper.phone {
    max-width: 390px;
    padding: 18px 16px;
  }
  .paper h2 {
    margin-bottom: 10px;
    font-size: 20px;
  }
  .intro {
    margin-bottom: 14px;
    color: var(--ink-soft);
    white-space: pre-line;
  }
  @media (max-width: 800px) {
    .work {
      flex-direction: column;
    }
  }
</style>
