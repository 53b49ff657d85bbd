<script lang="ts">
  import Undo2 from '@lucide/svelte/icons/undo-2';
  import type { Editor } from '@tiptap/core';
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { pageSize } from '$core/documents/document';
  import { partOf, printPart } from '$core/parts/parts';
  import { partsOf } from '$core/types/part';
  import { freeLabel } from '$core/model/names/naming';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { DesignPlace } from '$ui/designPlace';
  import DesignBar from '$ui/documents/design/DesignBar.svelte';
  import {
    DocumentDesign,
    regions,
    tableWithin,
    type DocumentJson,
    type Region,
  } from '$ui/documents/design/documentDesign.svelte';
  import HerePanel from '$ui/documents/design/HerePanel.svelte';
  import { oversAt, type NodeWords } from '$ui/documents/design/nodes';
  import { formulaWords, overWords } from '$ui/documents/design/offers';
  import PaperSettings from '$ui/documents/design/PaperSettings.svelte';
  import RegionEditor from '$ui/documents/design/RegionEditor.svelte';
  import Tried from '$ui/documents/design/Tried.svelte';
  import { useFrame } from '$ui/frame/context';
  import ResumedDraft from '$ui/ResumedDraft.svelte';
  import { renewed } from '$ui/renewed';
  import TableStage from '$ui/TableStage.svelte';

  /** Where a document is designed as a page, beside the page that it is with a record. */
  const { data } = $props();
  const { notices } = useFrame();
  const { table, model } = $derived(data);
  const workspace = $derived(data.workspace.key);
  const path = $derived(workspacePath(workspace, `/tables/${table.key}/documents`));
  const root = $derived(`/w/${workspace}/t/${table.key}/documents`);
  const designs = $derived(data.workspace.may.tables[table.id]?.design ?? false);
  const id = $derived(page.params.document === 'new' ? null : (page.params.document ?? null));
  const standing = (wanted: string | null) => partsOf(table, 'document').find((one) => one.id === wanted);
  const copied = $derived(id === null ? standing(page.url.searchParams.get('from')) : undefined);
  const jsonOf = (part: NonNullable<typeof copied>) =>
    printPart(model, table, 'document', part).json as unknown as DocumentJson;
  const place = new DesignPlace<DocumentDesign>();
  const design = $derived.by(() => {
    const [now, from] = [id, copied] as const;
    return place.designOf(now, `${table.id} ${now ?? `new ${from?.id ?? ''}`}`, () => {
      const part = standing(now) ?? from;
      const json = jsonOf(part ?? partOf('document').blank({}));
      const taken = partsOf(table, 'document').map(({ label }) => label);
      const start = from ? { ...json, label: freeLabel(`${json.label} copy`, taken) } : json;
      return new DocumentDesign(start, now, () => ({ model, table, path }));
    });
  });

  // What somebody else saved, or a field that is called otherwise now, is shown, unless it is changed here.
  $effect(() => {
    const part = standing(id);
    if (part) untrack(() => design.draft.follow(jsonOf(part)));
  });

  let editor = $state.raw<Editor | null>(null);
  let region = $state<Region>('body');
  let pulse = $state(0);
  let side = $state<'here' | 'paper'>('here');
  let settings = $state<ReturnType<typeof PaperSettings> | null>(null);
  let look = $state<'both' | 'design' | 'tried'>('both');
  let file = $state<HTMLInputElement | null>(null);
  const here = $derived(
    pulse >= 0 && editor ? tableWithin(model, table, oversAt(editor, editor.state.selection.from)) : table,
  );
  const names: Record<Region, string> = { header: 'Header of each page', body: 'Page', footer: 'Footer of each page' };
  const paper = $derived(design.json.paper);
  const wide = $derived(design.json.labels?.width ?? pageSize(paper)[0]);

  $effect(() => {
    // A new one begins with its name.
    if (id === null) untrack(() => ((side = 'paper'), setTimeout(() => settings?.focus())));
  });

  const at = (one: Editor, position: number) => tableWithin(model, table, oversAt(one, position));
  const words: NodeWords = {
    formula: (formula, one, position) => formulaWords(model, at(one, position), formula),
    over: (over, one, position) => overWords(model, at(one, position), over),
    picture: (hash) => workspacePath(workspace, `/files/${hash}`),
  };

  function isHere(now: Editor, of: Region) {
    [editor, region] = [now, of];
    pulse += 1;
    side = 'here';
  }

  async function sendPicture(chosen: FileList | null) {
    const [one] = chosen ?? [];
    if (!one) return;
    const form = new FormData();
    form.append('file', one, one.name);
    const answer = await call<{ files: { file: string }[] }>('POST', workspacePath(workspace, '/files'), form);
    if (!answer.ok) return notices.refused(answer.problem);
    const alt = one.name.replace(/\.\w+$/, '');
    editor
      ?.chain()
      .focus()
      .insertContent({ type: 'picture', attrs: { file: answer.value.files[0]?.file, alt } })
      .run();
  }

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

  function key(event: KeyboardEvent) {
    const command = event.ctrlKey || event.metaKey;
    if (command && event.key.toLowerCase() === 's') {
      if (design.problem) notices.refused(design.problem);
      else void save();
    } else if (event.altKey && event.key.toLowerCase() === 'v')
      look = look === 'both' ? 'design' : look === 'design' ? 'tried' : 'both';
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>{design.json.label || 'New document'} · {table.label} · Inner Loom</title></svelte:head>
<svelte:window
  onkeydown={key}
  onbeforeunload={(event) => design.isChanged && design.canStepBack && event.preventDefault()}
/>

<TableStage {table} side="documents">
  {#if designs}
    <div class="bar">
      <b class="name">{design.json.label || 'A document without a name'}</b>
      <div class="looks" role="group" aria-label="How it is shown" title="Alt+V">
        {#each [['both', 'Both'], ['design', 'Design'], ['tried', 'Preview']] as const as [name, label] (name)}
          <button aria-pressed={look === name} onclick={() => (look = name)}>{label}</button>
        {/each}
      </div>
      <span class="space"></span>
      <Button pressed={side === 'paper'} onclick={() => (side = side === 'paper' ? 'here' : 'paper')}
        >Name and paper</Button
      >
      {#if id !== null}
        <Button href="{root}/{id}/make">Make …</Button>
        <Button kind="danger" onclick={() => void takeAway()}>Delete</Button>
      {/if}
      <Button disabled={!design.canStepBack} onclick={() => design.stepBack()} title="Step back" label="Step back"
        ><Undo2 size={16} /></Button
      >
      <Button
        kind="main"
        disabled={!design.isChanged || design.problem !== null}
        onclick={() => void save()}
        title="Ctrl+S">{design.isChanged ? 'Save the document' : 'Saved'}</Button
      >
    </div>
    <ResumedDraft draft={design.draft} />
    {#if design.problem}<p class="problem" role="status">{design.problem.message} {design.problem.fix ?? ''}</p>{/if}
    {#if design.lost > 0}
      <p class="problem" role="status">
        {design.lost === 1 ? 'A part of it uses' : `${design.lost} parts of it use`} what was deleted, and {design.lost ===
        1
          ? 'is'
          : 'are'} left out when it is saved. Undo the deletion in History to keep {design.lost === 1 ? 'it' : 'them'}.
      </p>
    {/if}
    {#if look !== 'tried'}
      <DesignBar {editor} {pulse} {region} {model} table={here} onpicture={() => file?.click()} />
    {/if}
    <input
      bind:this={file}
      type="file"
      hidden
      accept="image/png,image/jpeg,image/webp,image/gif"
      aria-label="Picture"
      onchange={(event) => {
        void sendPicture(event.currentTarget.files);
        event.currentTarget.value = '';
      }}
    />
    <div class="work">
      {#if look !== 'tried'}
        <aside>
          {#if side === 'paper'}<PaperSettings bind:this={settings} {design} />
          {:else if editor}<HerePanel {editor} {pulse} {model} {table} zone={data.workspace.zone} />
          {:else}<p class="hint">
              Write as on paper. Put fields where the values of the record go; a row of a table can be repeated for
              linked records.
            </p>{/if}
        </aside>
        <div class="desk">
          <div class="paper" id="page" style:max-width="{Math.max(wide, 60)}mm">
            {#key design}
              {#each regions as one (one)}
                <div class="part {one}">
                  <small>{names[one]}</small>
                  <RegionEditor
                    label={names[one]}
                    nodes={design.json[one]}
                    {words}
                    onchange={(nodes) => design.change({ [one]: nodes })}
                    onhere={(now) => isHere(now, one)}
                  />
                </div>
              {/each}
            {/key}
          </div>
        </div>
      {/if}
      {#if look !== 'design'}<Tried {workspace} {table} {design} />{/if}
    </div>
  {:else}
    <p class="problem" role="status">
      Documents of {table.label} are designed by those who may change its structure.
      <a href={id === null ? root : `${root}/${id}/make`}>Make this document</a>
    </p>
  {/if}
</TableStage>

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
    max-width: 240px;
    overflow: hidden;
    font-size: 16px;
    text-overflow: ellipsis;
    white-space: nowrap;
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
  .work {
    display: flex;
    flex: 1;
    min-height: 0;
  }
  aside {
    flex: none;
    width: 232px;
    padding: 12px;
    overflow: auto;
    border-right: 1px solid var(--line);
  }
  .hint {
    color: var(--ink-soft);
  }
  .desk {
    flex: 1.1 1 0;
    min-width: 0;
    padding: 14px;
    overflow: auto;
    background: var(--sunken);
  }
  .paper {
    margin: 0 auto;
    font-family: var(--sans);
    font-size: 10.5pt;
    line-height: 1.4;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  .part {
    padding: 6px 18px;
  }
  .part.body {
    min-height: 240px;
    border-block: 1px dashed var(--line-strong);
  }
  small {
    display: block;
    color: var(--ink-faint);
    font-size: 11px;
  }
  @media (max-width: 900px) {
    .work {
      flex-direction: column;
      overflow: auto;
    }
    aside {
      width: auto;
      border-right: 0;
      border-bottom: 1px solid var(--line);
    }
    /* What is written comes before what can be said of it. */
    .desk {
      flex: none;
      order: -1;
    }
  }
</style>
