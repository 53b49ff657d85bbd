<script lang="ts">
  import { goto } from '$app/navigation';
  import type { FirstLook } from '$core/intake/sheets/firstLook';
  import { ownTables } from '$core/model/model';
  import Button from '$ui/controls/Button.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { call, workspacePath, type Refused } from '$ui/api';
  import PreviewTable from '$ui/intake/PreviewTable.svelte';
  import { agoWords, counted } from '$ui/values/words';

  const { data } = $props();
  const workspace = $derived(data.workspace.key);
  let over = $state(false);
  let sending = $state<string | null>(null);
  let refused = $state<Refused | null>(null);
  let input = $state<HTMLInputElement | null>(null);
  const states: Record<string, string> = {
    reading: 'being read',
    ready: 'waiting for you',
    loading: 'being loaded',
    loaded: 'loaded',
    undone: 'undone',
    failed: 'failed',
    cancelled: 'cancelled',
  };

  let looks = $state.raw<readonly FirstLook[]>([]);
  /**
   * Delimited texts are looked at here while they are sent, so that their first rows stand at once whatever their size.
   */
  function lookAt(files: FileList) {
    const texts = [...files].filter(({ name }) => /\.(csv|tsv|txt)$/i.test(name));
    if (texts.length === 0) return;
    const worker = new Worker(new URL('../../../../lib/workers/firstLook.ts', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data: found }: MessageEvent<readonly FirstLook[]>) => {
      looks = found;
      worker.terminate();
    };
    // What cannot be looked at here is looked at by the server all the same.
    worker.onerror = () => worker.terminate();
    worker.postMessage(texts);
  }

  async function bring(files: FileList | null | undefined) {
    if (!files || files.length === 0) return;
    refused = null;
    lookAt(files);
    const form = new FormData();
    for (const file of files) form.append('files', file, file.name);
    sending = [...files].map(({ name }) => name).join(', ');
    const answer = await call<{ id: number }>('POST', workspacePath(workspace, '/intakes'), form);
    sending = null;
    if (answer.ok) await goto(`/w/${workspace}/intake/${answer.value.id}`);
    else [refused, looks] = [answer.problem, []];
  }

  let inside = $state('');
  const insides = $derived([
    ...ownTables(data.model).map(({ key, label }) => ({ path: key, label })),
    ...data.otherTables,
  ]);
  /** A table that stands, with its records or its structure alone. */
  async function take(records: boolean) {
    const from = insides.find(({ path }) => path === inside) ?? insides[0];
    if (!from) return;
    sending = from.label;
    const answer = await call<{ id: number }>('POST', workspacePath(workspace, '/intakes'), {
      from: from.path,
      records,
    });
    sending = null;
    if (answer.ok) await goto(`/w/${workspace}/intake/${answer.value.id}`);
    else refused = answer.problem;
  }

  /** A range out of a clipboard: as a table where there is one, else as cells apart by tabs. */
  async function paste(event: ClipboardEvent) {
    if (event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) return;
    if (event.clipboardData && event.clipboardData.files.length > 0) return bring(event.clipboardData.files);
    const html = event.clipboardData?.getData('text/html') ?? '';
    const text = event.clipboardData?.getData('text/plain') ?? '';
    const range = text.includes('\t') || !/<t[dh]/i.test(html) ? { text } : { html };
    if ((range.text ?? range.html ?? '').trim() === '') return;
    sending = 'what you pasted';
    const answer = await call<{ id: number }>('POST', workspacePath(workspace, '/intakes'), {
      ...range,
      name: 'Pasted range',
    });
    sending = null;
    if (answer.ok) await goto(`/w/${workspace}/intake/${answer.value.id}`);
    else refused = answer.problem;
  }
</script>

<svelte:window onpaste={(event) => void paste(event)} />

<svelte:head><title>Intake · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title="Intake"
  purpose="Bring in the files as they are. You see what they hold and what would be made of them; nothing is made before you load."
>
  <div
    class="drop"
    class:over
    role="group"
    aria-label="Files to bring in"
    ondragover={(event) => (event.preventDefault(), (over = true))}
    ondragleave={() => (over = false)}
    ondrop={(event) => (event.preventDefault(), (over = false), void bring(event.dataTransfer?.files))}
  >
    {#if sending}
      <p role="status"><b>Sending {sending} …</b></p>
    {:else}
      <p>
        <b>Drop files here</b>, several at once: CSV, workbooks (.xlsx, .ods), JSON, a Data Package. Columns that refer
        to each other become links.
      </p>
      <p class="soft">Or copy a range in your spreadsheet and press Ctrl+V here.</p>
      <Button kind="main" onclick={() => input?.click()}>Choose files</Button>
      <input
        bind:this={input}
        class="sr-only"
        type="file"
        multiple
        accept=".csv,.tsv,.txt,.xlsx,.xlsm,.ods,.json,.jsonl,.ndjson,.zip,.html,text/csv"
        tabindex="-1"
        aria-label="Choose files"
        onchange={() => void bring(input?.files)}
      />
    {/if}
    {#if refused}<p class="refused" role="alert"><b>{refused.message}</b> {refused.fix ?? ''}</p>{/if}
  </div>
  {#if sending}{#each looks as look (look.file)}<PreviewTable
        preview={look}
        types={look.types}
        found={look.found}
      />{/each}{/if}
  {#if insides.length > 0 && !sending}
    <p class="inside">
      <label
        >Or take a table that stands: <select aria-label="Table to take" bind:value={inside}
          >{#each insides as { path, label }, index (path)}<option value={index === 0 ? '' : path}>{label}</option
            >{/each}</select
        ></label
      >
      <Button onclick={() => void take(true)}>With its records</Button>
      <Button onclick={() => void take(false)}>Its structure, empty</Button>
    </p>
  {/if}
  {#if data.intakes.length > 0}
    <h2>Earlier intakes</h2>
    <ul>
      {#each data.intakes as intake (intake.id)}
        <li>
          <a href="/w/{workspace}/intake/{intake.id}">{intake.names.join(', ') || 'files that could not be read'}</a
          ><span>{counted(intake.rows, 'row')}</span><span>{states[intake.state]}</span><span class="soft"
            >{agoWords(intake.madeAt)}</span
          >
        </li>
      {/each}
    </ul>
    {#if data.cut}<p>The newest 20 are shown.</p>{/if}
  {/if}
</StagePage>

<style>
  h2 {
    margin: 28px 0 8px;
    font-size: 16px;
  }
  .drop {
    display: grid;
    gap: 14px;
    justify-items: start;
    max-width: 820px;
    padding: 36px 32px;
    background: var(--raised);
    border: 2px dashed var(--line-strong);
    border-radius: var(--radius);
  }
  .inside {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: center;
    margin-top: 14px;
    color: var(--ink-soft);
  }
  select {
    padding: 3px 28px 3px 8px;
    color: var(--ink);
    background-color: var(--ground);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .over {
    background: var(--woad-tint);
    border-color: var(--woad);
  }
  .refused {
    color: var(--madder);
  }
  ul {
    max-width: 820px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  li {
    display: grid;
    grid-template-columns: 1fr 110px 120px 120px;
    gap: 14px;
    padding: 7px 14px;
    border-bottom: 1px solid var(--line);
  }
  .soft {
    color: var(--ink-faint);
  }
</style>
