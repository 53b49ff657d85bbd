<script lang="ts">
  import type { EditorView } from '@codemirror/view';
  import { untrack } from 'svelte';
  import type { Model } from '$core/model/model';
  import { call, workspacePath } from '../api';

  /** A formula as it is written: problems stand under their place, completion follows the links, values are previewed. */
  const {
    workspace,
    model,
    table,
    formula,
    onchange,
  }: { workspace: string; model: Model; table: string; formula: string; onchange: (formula: string) => void } = $props();

  interface Checked {
    readonly type: string | null;
    readonly problems: readonly { message: string; mend?: string; at?: { from: number; to: number } }[];
    readonly blanks: readonly string[];
    readonly samples: readonly { record: string; after: string }[];
  }
  let checked = $state<Checked | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;
  let asked = 0;

  function preview(text: string) {
    clearTimeout(timer);
    timer = setTimeout(async () => {
      const mine = ++asked;
      const answer = await call<Checked>('POST', workspacePath(workspace, '/formulas/check'), { table, formula: text, on: 5 });
      if (mine === asked && answer.ok) checked = answer.value;
    }, 200);
  }

  // The editor is loaded when it is first needed: it is larger than the rest of the page.
  const editor = (node: HTMLElement) => {
    let view: EditorView | null = null;
    let gone = false;
    void import('./editor').then(({ openEditor }) => {
      if (gone) return;
      view = untrack(() => openEditor(node, { model, table, formula, onchange: (text) => (onchange(text), preview(text)) }));
    });
    untrack(() => formula !== '' && preview(formula));
    return () => {
      gone = true;
      view?.destroy();
    };
  };
</script>

<div class="editor" {@attach editor}></div>
<div class="below" aria-live="polite">
  {#if checked && checked.problems.length > 0}
    {#each checked.problems.slice(0, 3) as problem, index (index)}
      <p class="problem"><b>{problem.message}</b> {problem.mend ?? ''}</p>
    {/each}
  {:else if checked?.type}
    <p class="type">gives a {checked.type}{checked.blanks.length > 0 ? `; blank where ${checked.blanks.join(', or ')}` : ''}</p>
    <table>
      <tbody>
        {#each checked.samples as { record, after } (record)}<tr><th scope="row">{record}</th><td>{after === '' ? '—' : after}</td></tr>{/each}
      </tbody>
    </table>
    {#if checked.samples.length > 0}<p class="soft">the first {checked.samples.length} records</p>{/if}
  {:else}
    <p class="soft">For example <code>max(inspections.day)</code> or <code>price * amount</code>. Ctrl+Space completes.</p>
  {/if}
</div>

<style>
  .editor {
    min-height: 62px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .editor:focus-within {
    border-color: var(--woad);
    outline: 1px solid var(--woad);
  }
  .below {
    padding-top: 6px;
    font-size: 13px;
  }
  .problem {
    color: var(--madder);
  }
  .type {
    color: var(--lichen);
  }
  .soft {
    color: var(--ink-faint);
  }
  table {
    width: 100%;
    margin-top: 6px;
  }
  th {
    font-weight: 500;
    text-align: left;
  }
  td {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  tr {
    border-bottom: 1px solid var(--line);
  }
</style>
