<script lang="ts">
  import { pageSize } from '$core/documents/document';
  import type { Table } from '$core/types/model';
  import { call, workspacePath } from '../../api';
  import Combo, { type Choice } from '../../controls/Combo.svelte';
  import { counted } from '../../values/words';
  import upright from '@fontsource-variable/source-sans-3/files/source-sans-3-latin-wght-normal.woff2?url';
  import type { DocumentDesign, DocumentJson } from './documentDesign.svelte';

  /** A document as it is with a record, beside its design: another moment after each change. */
  const { workspace, table, design }: { workspace: string; table: Table; design: DocumentDesign } = $props();
  const styles = `<${'style'}>`;
  /** The face of the paper; nothing in the page can run, so that it may read what this page has. */
  const face = `@font-face{font-family:'Source Sans 3';src:url('${upright}');font-weight:200 900}`;
  let record = $state.raw<{ id: number; title: string } | null>(null);
  let shown = $state.raw<{ html: string; pages: number; notes: readonly string[] } | null>(null);
  let problem = $state('');
  let width = $state(400);
  let asked = 0;
  const titles = $derived(workspacePath(workspace, `/tables/${table.key}/titles`));
  /** 96 pixels an inch, as browsers count. */
  const wide = $derived((pageSize(design.json.paper)[0] * 96) / 25.4);
  const scale = $derived(Math.min(1, width / wide));

  async function choices(typed: string): Promise<Choice[]> {
    const answer = await call<{ items: { id: number; title: string }[] }>(
      'GET',
      `${titles}?q=${encodeURIComponent(typed)}&limit=20`,
    );
    return answer.ok ? answer.value.items.map((one) => ({ label: one.title, value: one })) : [];
  }

  $effect(() => {
    if (!record) void choices('').then(([first]) => (record ??= (first?.value as typeof record | undefined) ?? null));
  });

  $effect(() => {
    const [of, document, cannot] = [record, design.json, design.problem];
    if (!of) return;
    if (cannot && cannot.at !== '/label') {
      problem = [cannot.message, cannot.fix].filter(Boolean).join(' ');
      return;
    }
    const mine = ++asked;
    const timer = setTimeout(() => void look(mine, of.id, document), 350);
    return () => clearTimeout(timer);
  });

  async function look(mine: number, id: number, document: DocumentJson) {
    const path = workspacePath(workspace, `/tables/${table.key}/documents/try`);
    const answer = await call<NonNullable<typeof shown>>('POST', path, {
      document: { ...document, label: document.label || 'Document' },
      record: id,
    });
    if (mine !== asked) return;
    problem = answer.ok ? '' : [answer.problem.message, answer.problem.fix].filter(Boolean).join(' ');
    if (answer.ok) shown = answer.value;
  }
</script>

<div class="tried" role="region" aria-label="Tried on a record" bind:clientWidth={width}>
  <div class="head">
    <span>As it is for</span>
    {#if record}
      {#key record.id}
        <div class="chooser">
          <Combo
            label="Tried on"
            start={record.title}
            autofocus={false}
            inForm
            {choices}
            oncommit={(choice) => choice && (record = choice.value as typeof record)}
          />
        </div>
      {/key}
    {:else}<span class="none">no record of {table.label} yet</span>{/if}
    {#if shown}<span class="pages">{design.json.labels ? 'one label' : counted(shown.pages, 'page', 'pages')}</span
      >{/if}
  </div>
  {#if problem}<p class="problem" role="status">{problem}</p>{/if}
  {#each shown?.notes ?? [] as note (note)}<p class="note" role="status">{note}</p>{/each}
  <div class="view">
    {#if shown}
      <iframe
        title="The document with its values"
        sandbox="allow-same-origin"
        srcdoc={shown.html.replace(styles, styles + face)}
        style:width="{wide}px"
        style:height="{100 / scale}%"
        style:transform="scale({scale})"
      ></iframe>
    {/if}
  </div>
</div>

<style>
  .tried {
    display: flex;
    flex: 1 1 0;
    flex-direction: column;
    min-width: 0;
    min-height: 300px;
    overflow: hidden;
    border-left: 1px solid var(--line);
  }
  .head {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 6px 12px;
    color: var(--ink-soft);
  }
  .chooser {
    position: relative;
    flex: 1;
    max-width: 240px;
    height: 30px;
  }
  .pages {
    margin-left: auto;
    white-space: nowrap;
  }
  .note,
  .problem {
    padding: 4px 12px;
    color: var(--weld);
    background: var(--weld-tint);
  }
  .problem {
    color: var(--madder);
    background: var(--madder-tint);
  }
  .view {
    position: relative;
    flex: 1;
    min-height: 0;
    overflow: hidden;
  }
  iframe {
    position: absolute;
    top: 0;
    left: 0;
    background: #fff;
    border: 0;
    transform-origin: 0 0;
  }
  .none {
    flex: 1;
  }
</style>
