<script lang="ts">
  import { untrack } from 'svelte';
  import { own } from '$core/base/own';
  import type { LanguageLine, TextLine } from '$server/languages/languages';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { counted } from '$ui/values/words';

  /** Every text of the workspace, and what it is in another language: for who translates. */
  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const path = $derived(workspacePath(workspace, '/languages'));
  interface Read {
    readonly first: string;
    readonly languages: readonly LanguageLine[];
    readonly texts: readonly TextLine[];
  }
  let read = $state.raw<Read | null>(null);
  /** The language that is worked on, by its code. */
  let chosen = $state('');
  let missing = $state(true);
  let typed = $state('');
  /** Translations that are not saved yet, by the text. */
  let drafts = $state<Record<string, string>>({});
  let adding = $state('');
  let saving = $state(false);
  const others = $derived(read?.languages.filter(({ first }) => !first) ?? []);
  const language = $derived(others.find(({ code }) => code === chosen) ?? others[0] ?? null);
  const code = $derived(language?.code ?? '');
  /** What was untranslated when it was last read stays in sight while it is filled in. */
  let wanted = $state.raw<ReadonlySet<string>>(new Set());
  const most = 300;
  const found = $derived.by(() => {
    const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
    return (read?.texts ?? []).filter(({ text, where, translations }) => {
      if (missing && !wanted.has(text)) return false;
      const all = [text, ...where, translations[code] ?? ''].join(' ').toLowerCase();
      return words.every((word) => all.includes(word));
    });
  });
  const changed = $derived(Object.keys(drafts).length);

  async function look(of: string) {
    const answer = await call<Read>('GET', of);
    if (!answer.ok) return notices.refused(answer.problem);
    read = answer.value;
    settle();
  }
  const settle = () => {
    wanted = new Set(read?.texts.filter(({ translations }) => !(code in translations)).map(({ text }) => text));
  };
  $effect(() => {
    void live.count;
    const of = path;
    untrack(() => void look(of));
  });

  async function add(event: SubmitEvent) {
    event.preventDefault();
    const wish = adding.trim();
    const answer = await call('POST', path, { code: wish });
    if (!answer.ok) return notices.refused(answer.problem);
    [adding, chosen, drafts] = ['', wish, {}];
    await look(path);
  }

  async function save() {
    if (changed === 0 || saving) return;
    saving = true;
    const sent = { ...drafts };
    const answer = await call('PATCH', `${path}/${code}`, { texts: sent });
    saving = false;
    if (!answer.ok) return notices.refused(answer.problem);
    // What was typed meanwhile is still to be saved.
    drafts = Object.fromEntries(Object.entries(drafts).filter(([text, is]) => own(sent, text) !== is));
    notices.done(`${counted(Object.keys(sent).length, 'text')} saved.`);
    await look(path);
  }

  function type(text: string, is: string) {
    const stands = read?.texts.find((one) => one.text === text)?.translations[code] ?? '';
    const { [text]: _, ...rest } = drafts;
    drafts = is === stands ? rest : { ...rest, [text]: is };
  }

  async function take(file: File | undefined) {
    if (!file) return;
    const text = await file.text();
    const kind = /<xliff|<\?xml/.test(text.slice(0, 2000)) ? 'xliff' : 'csv';
    const answer = await call<{ taken: number; unknown: number; blank: number }>('POST', `${path}/${code}/texts`, {
      [kind]: text,
    });
    if (!answer.ok) return notices.refused(answer.problem);
    const { taken, unknown, blank } = answer.value;
    notices.done(
      `${counted(taken, 'text')} taken${unknown > 0 ? `, ${unknown} are no texts here any more` : ''}${blank > 0 ? `, ${blank} are still blank` : ''}.`,
    );
    await look(path);
  }

  /** Enter goes on to the next text, Shift+Enter is a line in it. */
  function key(event: KeyboardEvent) {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 's') {
      event.preventDefault();
      return void save();
    }
    if (event.key !== 'Enter' || event.shiftKey || event.isComposing) return;
    event.preventDefault();
    const all = [...document.querySelectorAll<HTMLTextAreaElement>('table textarea')];
    all[all.indexOf(event.currentTarget as HTMLTextAreaElement) + 1]?.focus();
  }
</script>

<svelte:head><title>Languages · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window onbeforeunload={(event) => changed > 0 && event.preventDefault()} />
<StagePage
  title="Languages"
  purpose="What people read here, in as many languages as you need: labels, help, options, messages, forms, summaries. Everybody sees the language that they read; a form that of its visitor. Formulas and keys stay as they are."
>
  {#if read}
    <div class="bar">
      {#each others as one (one.code)}
        <button
          class="language"
          aria-pressed={one.code === code}
          onclick={() => ((chosen = one.code), (drafts = {}), settle())}
        >
          {one.label}
          <span>{one.translated.toLocaleString()} of {counted(read.texts.length, 'text')}</span>
        </button>
      {/each}
      <form onsubmit={add}>
        <input
          class="in-line"
          bind:value={adding}
          placeholder="Code, such as de"
          aria-label="Code of the language to add"
          maxlength="20"
        />
        <Button type="submit" disabled={adding.trim() === ''}>Add a language</Button>
      </form>
    </div>
    {#if language}
      <div class="bar">
        <input
          class="in-line search"
          type="search"
          bind:value={typed}
          placeholder="Search: text, table, form"
          aria-label="Search the texts"
        />
        <label><input type="checkbox" bind:checked={missing} onchange={settle} /> Not translated only</label>
        <span class="steps">
          <Button href="{path}/{code}/texts?format=xliff">XLIFF</Button>
          <Button href="{path}/{code}/texts?format=csv">CSV</Button>
          <label class="file"
            >Bring in a translated file
            <input
              type="file"
              accept=".xlf,.xliff,.xml,.csv"
              onchange={(event) => {
                void take(event.currentTarget.files?.[0]);
                event.currentTarget.value = '';
              }}
            /></label
          >
          <Button kind="main" title="Ctrl+S" disabled={changed === 0 || saving} onclick={() => void save()}
            >{changed === 0 ? 'Saved' : `Save ${counted(changed, 'text')}`}</Button
          >
        </span>
      </div>
      <table>
        <thead><tr><th>{read.first}</th><th>{language.label}</th><th>where</th></tr></thead>
        <tbody>
          {#each found.slice(0, most) as { text, where, translations } (text)}
            <tr class:draft={Object.hasOwn(drafts, text)}>
              <td class="text">{text}</td>
              <td>
                <textarea
                  rows={Math.min(6, 1 + text.split('\n').length - 1 + Math.floor(text.length / 60))}
                  lang={code}
                  aria-label="{language.label}: {text}"
                  value={own(drafts, text) ?? translations[code] ?? ''}
                  oninput={(event) => type(text, event.currentTarget.value)}
                  onkeydown={key}
                ></textarea>
              </td>
              <td class="where"
                >{where.slice(0, 3).join('; ')}{where.length > 3 ? ` and ${where.length - 3} more places` : ''}</td
              >
            </tr>
          {:else}
            <tr
              ><td colspan="3" class="where"
                >{typed ? 'No text fits what you typed.' : 'Everything here is translated.'}</td
              ></tr
            >
          {/each}
        </tbody>
      </table>
      {#if found.length > most}<p>
          The first {most} of {found.length.toLocaleString()} texts are shown: search for others.
        </p>{/if}
    {:else}
      <p>
        The texts are written in “{read.first}”. Add a language to translate them into: {counted(
          read.texts.length,
          'text',
        )} so far.
      </p>
    {/if}
  {/if}
</StagePage>

<style>
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: center;
    margin-bottom: 12px;
  }
  .bar form {
    display: flex;
    gap: 6px;
  }
  .language {
    padding: 4px 10px;
    border: 1px solid var(--line-strong);
    border-radius: 4px;
  }
  .language[aria-pressed='true'] {
    background: var(--woad-tint);
    border-color: var(--woad);
  }
  .language span,
  .where {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .search {
    width: min(320px, 100%);
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    margin-left: auto;
  }
  .file {
    position: relative;
    padding: 3px 12px;
    overflow: hidden;
    font-weight: 600;
    border: 1px solid var(--line-strong);
    border-radius: 4px;
  }
  .file:focus-within {
    outline: 2px solid var(--woad);
  }
  .file input {
    position: absolute;
    inset: 0;
    cursor: pointer;
    opacity: 0;
  }
  table {
    width: 100%;
  }
  th {
    padding: 4px 8px;
    color: var(--ink-soft);
    font-weight: 600;
    text-align: left;
  }
  td {
    padding: 3px 8px;
    vertical-align: top;
    border-top: 1px solid var(--line);
  }
  td.text {
    width: 36%;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  td.where {
    width: 24%;
  }
  textarea {
    width: 100%;
    padding: 2px 6px;
    font: inherit;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: 3px;
    resize: vertical;
    field-sizing: content;
  }
  tr.draft textarea {
    border-color: var(--woad);
  }
  @media (max-width: 700px) {
    td.where,
    th:last-child {
      display: none;
    }
  }
</style>
