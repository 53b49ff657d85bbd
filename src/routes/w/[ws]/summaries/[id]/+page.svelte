<script lang="ts">
  import { say } from '$core/base/say';
  import Undo2 from '@lucide/svelte/icons/undo-2';
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { Written } from '$core/filled/written';
  import { blockDescriptors, blockKinds } from '$core/summaries/blocks';
  import { inLanguage, languagesOf } from '$core/languages/texts';
  import { ownTables } from '$core/model/model';
  import { summary as summaryPart } from '$core/parts/summary';
  import type { Choices } from '$core/summaries/narrowing';
  import type { BlockKind } from '$core/types/summary';
  import type { RecordRows as Rows } from '$server/summaries/data';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import ResumedDraft from '$ui/ResumedDraft.svelte';
  import Menu from '$ui/controls/Menu.svelte';
  import { DesignPlace } from '$ui/designPlace';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import Block from '$ui/summaries/Block.svelte';
  import BlockGrid from '$ui/summaries/BlockGrid.svelte';
  import FilterBar from '$ui/summaries/FilterBar.svelte';
  import BlockForm from '$ui/summaries/forms/BlockForm.svelte';
  import PageForm from '$ui/summaries/forms/PageForm.svelte';
  import { readingIn } from '$core/summaries/reading';
  import RecordRows from '$ui/summaries/RecordRows.svelte';
  import { SummaryPage, type BlockJson } from '$ui/summaries/summaryPage.svelte';

  /** A summary: read with its filters, or changed block by block. */
  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const zone = $derived(data.workspace.zone);
  const root = $derived(`/w/${workspace}/summaries`);
  const id = $derived(page.params.id === 'new' ? null : (page.params.id ?? null));
  const place = new DesignPlace<SummaryPage>();
  const shown = $derived.by(() => {
    const [now, of] = [id, workspace];
    const standing = data.summary;
    return place.designOf(now, `${of} ${now ?? 'new'}`, () => {
      const start: Written = standing?.saved ?? { label: '', description: '', groups: [], filters: [], blocks: [] };
      return new SummaryPage(start, now, standing?.personal ?? true, () => ({ workspace: of, model: data.model }));
    });
  });
  const mayShare = $derived(data.workspace.may.share);
  const changeable = $derived(shown.personal || mayShare);
  let changes = $state(false);
  const changing = $derived(changes || shown.id === null);
  /** What the inspector shows. */
  let side = $state.raw<
    | { readonly is: 'block'; readonly id: string }
    | { readonly is: 'page' }
    | { readonly is: 'records'; readonly title: string; readonly found: Rows | null }
    | null
  >(null);
  const chosen = $derived(side?.is === 'block' ? shown.blockNamed(side.id) : null);
  let groups = $state.raw<readonly { id: number; label: string }[]>([]);
  const blockTables = $derived([
    ...new Set(shown.blocks.flatMap(({ table }) => (typeof table === 'string' && table ? [table] : []))),
  ]);

  // What somebody else saved is shown, unless it is changed here.
  $effect(() => {
    const { summary } = data;
    if (summary && summary.id === shown.id) untrack(() => shown.follow(summary.saved, summary.personal));
  });

  // The choices of the page stand in its address, so that it can be sent.
  $effect(() => {
    const text = page.url.searchParams.get('filters');
    untrack(() => {
      if (text === null || text === JSON.stringify(shown.choices)) return;
      try {
        shown.choices = (JSON.parse(text) ?? {}) as Choices;
      } catch {
        shown.choices = {};
      }
    });
  });
  let soon: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    void [shown, shown.json, shown.choices];
    // While one writes it is worked out once one rests.
    clearTimeout(soon);
    soon = setTimeout(() => untrack(() => void shown.readData()), untrack(() => shown.isChanged) ? 350 : 0);
    return () => clearTimeout(soon);
  });
  $effect(() => {
    if (live.count > 0 && untrack(() => live.concerns(shown.tables))) untrack(() => void shown.readData());
  });

  function choose(...[filter, choice]: Parameters<SummaryPage['choose']>) {
    shown.choose(filter, choice);
    const query =
      Object.keys(shown.choices).length === 0
        ? ''
        : `?${new URLSearchParams({ filters: JSON.stringify(shown.choices) })}`;
    void goto(`${page.url.pathname}${query}`, { replaceState: true, keepFocus: true, noScroll: true });
  }

  async function showRecords(block: BlockJson, values: readonly unknown[], against: boolean, words: string) {
    if (shown.isChanged || shown.id === null)
      return notices.refused({ message: 'Save the summary first: its records are those of what is saved.' });
    side = { is: 'records', title: words, found: null };
    const answer = await call<Rows>('GET', shown.behind(block.id, values, against));
    if (side?.is !== 'records' || side.title !== words) return;
    if (answer.ok) side = { ...side, found: answer.value };
    else {
      side = null;
      notices.refused(answer.problem);
    }
  }

  function add(kind: BlockKind) {
    const [first] = ownTables(data.model);
    const table = blockTables[0] ?? first?.key ?? '';
    const asked = { table, where: '', measures: [{ total: 'count' }], groups: '', period: null };
    const given: Record<BlockKind, Written> = {
      number: asked,
      table: asked,
      chart: { ...asked, chart: 'bars', limit: null },
      list: { table, view: 'all', most: 20 },
      text: { text: '' },
    };
    side = { is: 'block', id: shown.add(kind, given[kind]) };
  }

  async function save() {
    if (shown.wrong) {
      const at = /^\/blocks\/(\d+)/.exec(String(shown.wrong.at ?? ''))?.[1];
      const block = at === undefined ? undefined : shown.blocks[Number(at)];
      side = block ? { is: 'block', id: block.id } : side;
      return notices.refused(shown.wrong);
    }
    const isNew = shown.id === null;
    const answer = await shown.save();
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`“${String(shown.json.label)}” is saved.`);
    if (isNew) {
      changes = true;
      await goto(`${root}/${answer.value.id}`, { replaceState: true, keepFocus: true, noScroll: true });
    }
  }
  async function remove() {
    const answer = await call('DELETE', workspacePath(workspace, `/summaries/${shown.id}`));
    if (!answer.ok) return notices.refused(answer.problem);
    await goto(root);
    notices.done(shown.personal ? 'The summary was deleted.' : 'The summary was deleted; undo it in History.');
  }
  async function begin() {
    changes = true;
    side = null;
  }
  async function toPage() {
    side = { is: 'page' };
    if (groups.length > 0 || !mayShare) return;
    const answer = await call<{ items: { id: number; label: string }[] }>('GET', workspacePath(workspace, '/groups'));
    if (answer.ok) groups = answer.value.items;
  }

  function key(event: KeyboardEvent) {
    const writes = (event.target as Element).closest('input, textarea, select, dialog, .cm-editor');
    const command = event.ctrlKey || event.metaKey;
    if (command && event.key.toLowerCase() === 's' && changing) void save();
    else if (command && event.key.toLowerCase() === 'z' && !writes && changing) shown.stepBack();
    else if (event.key === 'Escape' && side && !event.defaultPrevented) side = null;
    else return;
    event.preventDefault();
  }
  /** What is read is in the reader's language; what is changed is as it was written. */
  const model = $derived(changing ? data.model : inLanguage(data.model, data.language));
  const texts = $derived(changing ? null : languagesOf(data.model).find(({ code }) => code === data.language)?.texts);
  const said = (text: unknown) => texts?.[String(text)] ?? String(text);
  const read = $derived(
    shown.summary && texts && summaryPart.spoken ? summaryPart.spoken(shown.summary, said) : shown.summary,
  );
  const titleOf = (block: BlockJson) => said(block.title || '') || say(blockDescriptors[block.kind].label);
  const partOfSummary = (one: string) => read?.blocks.find((block) => block.id === one) ?? null;
</script>

<svelte:head><title>{said(shown.json.label) || 'Summary'} · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window
  onkeydown={key}
  onbeforeunload={(event) => shown.canStepBack && shown.isChanged && event.preventDefault()}
/>

<section class="work">
  <p class="way"><a href={root}>Summaries</a></p>
  <div class="head">
    {#if changing}
      <input
        class="name"
        aria-label="Name of the summary"
        placeholder="Name of the summary"
        maxlength="120"
        value={String(shown.json.label)}
        oninput={(event) => shown.change({ label: event.currentTarget.value })}
      />
    {:else}
      <h1>{said(shown.json.label)}</h1>
    {/if}
    <span class="steps">
      {#if changing}
        <Button
          disabled={!shown.canStepBack}
          onclick={() => shown.stepBack()}
          title="Step back, Ctrl+Z"
          label="Step back"><Undo2 size={16} /></Button
        >
        <Menu
          label="Add a block"
          items={blockKinds.map((kind) => ({ label: say(blockDescriptors[kind].label), run: () => add(kind) }))}
          >+ Add a block</Menu
        >
        <Button onclick={() => void toPage()} pressed={side?.is === 'page'}>Page and filters</Button>
        <Button kind="main" title="Ctrl+S" disabled={!shown.isChanged} onclick={() => void save()}
          >{shown.isChanged ? 'Save' : 'Saved'}</Button
        >
        {#if shown.id !== null}
          <Button onclick={() => ((changes = false), (side = null))}>Done</Button>
          <Button kind="danger" onclick={() => void remove()}>Delete</Button>
        {/if}
      {:else}
        <Button onclick={() => print()}>Print</Button>
        {#if shown.id !== null}
          <Button
            label="Save as PDF"
            href="{workspacePath(data.workspace.key, `/summaries/${shown.id}/pdf`)}?{new URLSearchParams({
              filters: JSON.stringify(shown.choices),
            })}">PDF</Button
          >
        {/if}
        {#if changeable}<Button onclick={() => void begin()}>Change</Button>{/if}
      {/if}
    </span>
  </div>
  <ResumedDraft draft={shown.draft} />
  {#if !changing && shown.json.description}<p class="about">{said(shown.json.description)}</p>{/if}
  {#if read && shown.filters.length > 0}
    <FilterBar filters={read.filters} choices={shown.choices} {model} {workspace} {zone} onchoose={choose} />
  {/if}
  {#if shown.problem}<p class="problem" role="status">{shown.problem.message} {shown.problem.fix ?? ''}</p>{/if}
  {#if shown.blocks.length === 0}
    <p class="empty">
      {changing
        ? 'Add a block: a number, a table or a chart of what a table holds, a list of a view’s records, or text.'
        : 'This summary has no block that you may see.'}
    </p>
  {/if}
  <BlockGrid
    blocks={shown.blocks}
    {changing}
    chosen={side?.is === 'block' ? side.id : null}
    {titleOf}
    onplace={(one, at) => shown.put(one, at)}
    onchoose={(one) => (side = { is: 'block', id: one })}
    onremove={(one) => (shown.remove(one), (side = null))}
  >
    {#snippet block(one)}
      <Block
        block={partOfSummary(one.id)}
        json={{ ...one, title: said(one.title || '') }}
        data={shown.data.get(one.id)}
        problem={shown.summary ? null : shown.problemOf(one)}
        {model}
        {zone}
        busy={shown.reading && shown.data.size > 0 && shown.isChanged}
        onchoose={(values, against, words) => void showRecords(one, values, against, words)}
      />
    {/snippet}
  </BlockGrid>
</section>
{#if side?.is === 'records'}
  <Inspector kind="Records" title={side.title} onclose={() => (side = null)}>
    {#if side.found}
      <p class="soft">{side.found.count.toLocaleString()} {side.found.count === 1 ? 'record' : 'records'}</p>
      <RecordRows data={side.found} reading={readingIn(zone)} title={side.title} />
    {:else}<p>Reading …</p>{/if}
  </Inspector>
{:else if side?.is === 'page' && changing}
  <Inspector kind="Summary" title={String(shown.json.label) || 'New summary'} onclose={() => (side = null)}>
    <PageForm
      json={shown.json}
      model={data.model}
      tables={blockTables}
      personal={shown.personal}
      {mayShare}
      {groups}
      onchange={(more) => shown.change(more)}
      onpersonal={(own) => (shown.personal = own)}
    />
  </Inspector>
{:else if chosen && changing}
  <Inspector kind={say(blockDescriptors[chosen.kind].label)} title={titleOf(chosen)} onclose={() => (side = null)}>
    {#key chosen.id}
      <BlockForm block={chosen} model={data.model} {zone} onchange={(more) => shown.changeBlock(chosen.id, more)} />
    {/key}
  </Inspector>
{/if}

<style>
  .work {
    flex: 1;
    min-width: 0;
    padding: 14px 24px 40px;
    overflow: auto;
  }
  .way {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .way a {
    display: inline-block;
    min-height: 24px;
  }
  .head {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 16px;
    align-items: center;
    justify-content: space-between;
    max-width: 1500px;
  }
  h1,
  .name {
    flex: 1 1 240px;
    min-width: 0;
    font-size: 22px;
    font-weight: 600;
  }
  .name {
    padding: 1px 6px;
    margin-left: -6px;
    color: var(--ink);
    background: transparent;
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
  .about,
  .soft,
  .empty {
    color: var(--ink-soft);
  }
  .empty {
    padding: 20px 0;
  }
  .problem {
    color: var(--weld);
  }
  .work > :global(.filters) {
    margin: 8px 0;
  }
  .work > :global(.page) {
    margin-top: 12px;
  }
  @media (max-width: 700px) {
    .work {
      padding: 12px 12px 30px;
    }
  }
  @media print {
    .steps,
    .way {
      display: none;
    }
  }
</style>
