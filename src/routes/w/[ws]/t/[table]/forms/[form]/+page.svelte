<script lang="ts">
  import Undo2 from '@lucide/svelte/icons/undo-2';
  import { untrack } from 'svelte';
  import { goto, invalidate } from '$app/navigation';
  import { page } from '$app/state';
  import { takeEntry } from '$core/forms/entry';
  import { formsOf } from '$core/forms/form';
  import { formJson } from '$core/forms/formJson';
  import { formPage } from '$core/forms/formPage';
  import { fieldNamed, type Field } from '$core/model/model';
  import { plainReading } from '$core/values/value';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import AddressList from '$ui/forms/AddressList.svelte';
  import type { AddressOut } from '$ui/forms/addressWords';
  import {
    addItem,
    addSection,
    askable,
    changeItem,
    changeSection,
    emptyDesign,
    itemAt,
    moveSection,
    newItem,
    placeOf,
    removeItem,
    removeSection,
    unplaced,
  } from '$ui/forms/design';
  import FieldShelf from '$ui/forms/FieldShelf.svelte';
  import FormCanvas from '$ui/forms/FormCanvas.svelte';
  import { FormDesign } from '$ui/forms/formDesign.svelte';
  import FormFill from '$ui/forms/FormFill.svelte';
  import FormSettings from '$ui/forms/FormSettings.svelte';
  import ItemSettings from '$ui/forms/ItemSettings.svelte';
  import SectionSettings from '$ui/forms/SectionSettings.svelte';
  import { insideChoices } from '$ui/forms/sending';
  import Inspector from '$ui/frame/Inspector.svelte';
  import { useFrame } from '$ui/frame/context';
  import TableStage from '$ui/TableStage.svelte';

  /** Where a form is designed: its fields beside it, its settings in the inspector, its look as wide as it will be. */
  const { data } = $props();
  const { notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const { table, model } = $derived(data);
  const zone = $derived(data.workspace.zone);
  const path = $derived(workspacePath(workspace, `/tables/${table.key}/forms`));
  const root = $derived(`/w/${workspace}/t/${table.key}/forms`);
  const standing = $derived(formsOf(table).find(({ id }) => id === page.params.form));
  const isNew = $derived(page.params.form === 'new');
  const audience = $derived(page.url.searchParams.get('for') === 'inside' ? 'inside' : 'outside');
  // One design for each form that is opened; a model that is read anew does not begin it anew.
  const design = $derived.by(() => {
    const id = page.params.form;
    const stands = id !== 'new';
    return fresh(stands ? (id ?? null) : null, audience);
  });
  function fresh(id: string | null, forWhom: 'inside' | 'outside'): FormDesign {
    const known = designs.get(id ?? forWhom);
    if (known) return known;
    const form = formsOf(data.table).find((one) => one.id === id);
    const made = new FormDesign(form ? formJson(data.model, data.table, form).form : emptyDesign(forWhom), id, () => ({ model, table, path }));
    designs.set(id ?? forWhom, made);
    return made;
  }
  const designs = new Map<string, FormDesign>();

  let chosen = $state<string | number | 'addresses' | null>(page.url.searchParams.get('side') === 'addresses' ? '#addresses' : null);
  let look = $state<'design' | 'wide' | 'phone'>('design');
  let addresses = $state.raw<readonly AddressOut[]>([]);
  let settings = $state<HTMLElement | null>(null);

  const place = $derived(typeof chosen === 'string' ? placeOf(design.json, chosen) : null);
  const item = $derived(place && itemAt(design.json, place));
  const field = $derived(typeof chosen === 'string' ? fieldNamed(table, chosen) : undefined);
  const section = $derived(typeof chosen === 'number' ? design.json.sections[chosen] : undefined);
  const shelf = $derived(unplaced(table, design.json));
  const preview = $derived(design.form && (design.form.audience === 'outside' ? formPage(model, table, design.form) : { form: design.form, model, table }));

  $effect(() => {
    if (standing?.audience === 'outside') void readAddresses();
  });
  // One begins with its name.
  $effect(() => {
    if (isNew) untrack(toSettings);
  });
  async function readAddresses() {
    const answer = await call<{ addresses: AddressOut[] }>('GET', `${path}/${page.params.form}/addresses`);
    if (answer.ok) addresses = answer.value.addresses;
  }
  async function addressCall(method: string, rest: string, body?: unknown) {
    const answer = await call(method, `${path}/${page.params.form}/addresses${rest}`, body);
    if (!answer.ok) return notices.refused(answer.problem);
    await readAddresses();
  }

  async function save() {
    const answer = await design.save();
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`“${design.json.label}” is saved.`);
    await invalidate('loom:model');
    if (isNew) {
      designs.delete(audience);
      await goto(`${root}/${answer.value.id}`, { replaceState: true });
    }
  }

  async function takeAway() {
    const answer = await call('DELETE', `${path}/${page.params.form}`);
    if (!answer.ok) return notices.refused(answer.problem);
    await goto(root, { invalidateAll: true });
    notices.done(`“${design.saved.label}” was taken away; History brings it back.`);
  }

  function add(one: Field) {
    const at = typeof chosen === 'number' ? chosen : (place?.section ?? design.json.sections.length - 1);
    design.change(addItem(design.json, newItem(one), { section: at, index: design.json.sections[at]?.items.length ?? 0 }));
    chosen = one.key;
  }

  /** The first control of what is open in the inspector. */
  const toSettings = () => setTimeout(() => settings?.querySelector<HTMLElement>('input, textarea, select')?.focus());

  /** Goes where the problem is. */
  function toProblem() {
    const at = typeof design.problem?.at === 'string' ? /^\/sections\/(\d+)(?:\/items\/(\d+))?/.exec(design.problem.at) : null;
    const there = at?.[2] === undefined ? undefined : itemAt(design.json, { section: Number(at[1]), index: Number(at[2]) });
    chosen = there ? ('list' in there ? there.list : there.field) : at ? Number(at[1]) : null;
    toSettings();
  }

  const choicesOf = (one: Field) => (typed: string) => {
    const limited = standing && !isNew ? `${path}/${page.params.form}` : '';
    return limited ? insideChoices(workspace, limited, one, typed, {}, null) : Promise.resolve([]);
  };

  /** Sending from the preview tells what would be amiss, and writes nothing. */
  function tryOut(values: Readonly<Record<string, unknown>>) {
    const reading = { ...plainReading, zone, today: data.workspace.day };
    const { problems } = design.form ? takeEntry(model, table, design.form, values, reading) : { problems: [] };
    const [first] = problems;
    if (first) return Promise.resolve({ ok: false as const, problem: { status: 422, message: first.message, mend: first.mend, problems } });
    notices.done('It would be taken. Nothing was written: this is the preview.');
    return Promise.resolve({ ok: true as const, value: null });
  }

  function key(event: KeyboardEvent) {
    const writes = (event.target as Element).closest('input, textarea, select, dialog, .cm-editor');
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 's') void (design.problem ? toProblem() : save());
    else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !writes) design.stepBack();
    else if (event.key === 'Escape' && !writes) chosen = null;
    else if (event.altKey && event.key.toLowerCase() === 'v') look = look === 'design' ? 'phone' : 'design';
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>{design.json.label || 'New form'} · {table.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={key} onbeforeunload={(event) => design.isChanged && design.canStepBack && event.preventDefault()} />

<TableStage {table} side="forms">
  <div class="bar">
    <button class="name" onclick={() => ((chosen = null), toSettings())}>
      <b>{design.json.label || 'A form without a name'}</b><small>{design.json.audience === 'outside' ? 'for outsiders' : 'for members'}</small>
    </button>
    <div class="looks" role="group" aria-label="How it is shown" title="Alt+V">
      {#each [['design', 'Design'], ['wide', 'Preview'], ['phone', 'Phone']] as const as [name, label] (name)}
        <button aria-pressed={look === name} onclick={() => (look = name)}>{label}</button>
      {/each}
    </div>
    <span class="space"></span>
    <Button onclick={() => ((chosen = null), toSettings())} pressed={chosen === null}>Settings</Button>
    {#if standing?.audience === 'outside'}
      <Button onclick={() => (chosen = '#addresses')} pressed={chosen === '#addresses'}>Addresses ({addresses.length})</Button>
    {/if}
    <Button disabled={!design.canStepBack} onclick={() => design.stepBack()} title="Step back, Ctrl+Z" label="Step back"><Undo2 size={16} /></Button>
    <Button kind="main" disabled={!design.isChanged || design.problem !== null} onclick={() => void save()} title="Ctrl+S"
      >{design.isChanged ? 'Save the form' : 'Saved'}</Button
    >
  </div>
  {#if design.problem}
    <p class="amiss" role="status">
      {design.problem.message}
      {design.problem.mend ?? ''} <button onclick={toProblem}>go there</button>
    </p>
  {:else if design.missing.length > 0}
    <p class="amiss" role="status">
      {design.missing.map(({ label }) => label).join(', ')} must be filled in every record of {table.label} and {design.missing.length === 1 ? 'is' : 'are'} not on
      the form: no entry could be saved. <button onclick={() => design.missing[0] && add(design.missing[0])}>put {design.missing[0]?.label} on it</button>
    </p>
  {/if}
  <div class="work">
    {#if look === 'design'}
      <FieldShelf {model} fields={shelf} onadd={add} />
      <div class="table">
        <div class="paper">
          <h2>{design.json.label || 'A form without a name'}</h2>
          {#if design.json.intro}<p class="intro">{design.json.intro}</p>{/if}
          <FormCanvas
            {model}
            {table}
            form={design.json}
            {chosen}
            {zone}
            onchange={(form) => design.change(form)}
            onchoose={(one) => (chosen = one)}
            onsettings={toSettings}
          />
          <Button kind="quiet" onclick={() => (design.change(addSection(design.json, design.json.sections.length)), (chosen = design.json.sections.length - 1))}
            >Add a section</Button
          >
        </div>
      </div>
    {:else}
      <div class="table">
        <div class="paper" class:phone={look === 'phone'} aria-label="Preview" role="region">
          <h2>{design.json.label}</h2>
          {#if preview}
            {#key JSON.stringify(design.json)}
              <FormFill
                page={preview}
                {zone}
                today={data.workspace.day}
                action={design.json.audience === 'outside' ? 'Send' : 'Save the record'}
                choices={(one, typed) => choicesOf(one)(typed)}
                send={tryOut}
              >
                {#snippet list()}<p class="intro">Linked records are listed here once the record is there.</p>{/snippet}
              </FormFill>
            {/key}
          {/if}
        </div>
      </div>
    {/if}
  </div>
</TableStage>

{#if chosen === '#addresses'}
  <Inspector kind="Form of {table.label}" title="Addresses of {design.json.label}" dye={table.dye} onclose={() => (chosen = null)}>
    <AddressList
      {addresses}
      origin={page.url.origin}
      onmake={(body) => void addressCall('POST', '', body)}
      onset={(id, body) => void addressCall('PATCH', `/${id}`, body)}
      onremove={(id) => void addressCall('DELETE', `/${id}`)}
    />
  </Inspector>
{:else if place && item && field}
  {@const at = place}
  <Inspector kind="On the form" title={('label' in item && item.label) || field.label} dye={table.dye} onclose={() => (chosen = null)}>
    <div bind:this={settings}>
      {#key chosen}
        <ItemSettings
          {model}
          {field}
          {item}
          audience={design.json.audience}
          twoColumns={design.json.sections[at.section]?.columns === 2}
          asked={askable(model, table, design.json, at)}
          {zone}
          choices={choicesOf(field)}
          onset={(set) => design.change(changeItem(design.json, at, set))}
          onremove={() => {
            design.change(removeItem(design.json, at));
            chosen = at.section;
          }}
        />
      {/key}
    </div>
  </Inspector>
{:else if section && typeof chosen === 'number'}
  {@const at = chosen}
  <Inspector kind="On the form" title={section.label || `Section ${at + 1}`} dye={table.dye} onclose={() => (chosen = null)}>
    <div bind:this={settings}>
      {#key at}
        <SectionSettings
          {section}
          asked={askable(model, table, design.json, { section: at, index: 0 })}
          {zone}
          onset={(set) => design.change(changeSection(design.json, at, set))}
          onmove={(by) => {
            design.change(moveSection(design.json, at, by));
            chosen = Math.max(0, Math.min(design.json.sections.length - 1, at + by));
          }}
          onadd={() => {
            design.change(addSection(design.json, at + 1));
            chosen = at + 1;
          }}
          onremove={() => {
            design.change(removeSection(design.json, at));
            chosen = null;
          }}
        />
      {/key}
    </div>
  </Inspector>
{:else}
  <Inspector kind="Form of {table.label}" title={design.json.label || 'A new form'} dye={table.dye} onclose={() => void goto(root)}>
    <div bind:this={settings}>
      <FormSettings form={design.json} onset={(set) => design.change({ ...design.json, ...set })} onremove={isNew ? undefined : () => void takeAway()} />
    </div>
  </Inspector>
{/if}

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
  .amiss {
    padding: 5px 14px;
    color: var(--weld);
    background: var(--weld-tint);
  }
  .amiss button {
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
