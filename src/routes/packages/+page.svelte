<script lang="ts">
  import { onDestroy, untrack } from 'svelte';
  import type { PackageLoad } from '$server/packages/loads';
  import { call } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import HomePage from '$ui/frame/HomePage.svelte';
  import { agoWords, counted } from '$ui/values/words';

  /** Whole workspaces that come from elsewhere. */
  const { data } = $props();
  let loads = $state.raw<readonly PackageLoad[]>(untrack(() => data.loads));
  let file = $state<File | null>(null);
  let sending = $state(false);
  let refused = $state('');
  let input: HTMLInputElement | undefined = $state();

  const phaseWords = {
    files: 'keeping files',
    structure: 'making tables',
    records: 'bringing records in',
    rules: 'building indexes and links',
    calculation: 'calculating',
  } as const;
  const doingWords = ({ progress }: PackageLoad): string => {
    if (!progress) return 'reading the package';
    const { phase, done, of } = progress;
    return `${phaseWords[phase]}${of > 1 ? `, ${done.toLocaleString()} of ${of.toLocaleString()}` : ''}`;
  };

  async function look() {
    const answer = await call<{ items: PackageLoad[] }>('GET', '/api/packages');
    if (answer.ok) loads = answer.value.items;
  }
  const working = $derived(loads.some(({ state }) => state === 'working'));
  $effect(() => {
    if (!working) return;
    const timer = setInterval(() => void look(), 1000);
    return () => clearInterval(timer);
  });

  async function send(event: SubmitEvent) {
    event.preventDefault();
    if (!file) return;
    sending = true;
    const form = new FormData();
    form.append('file', file);
    const answer = await call<PackageLoad>('POST', '/api/packages', form);
    sending = false;
    refused = answer.ok ? '' : [answer.problem.message, answer.problem.fix].filter(Boolean).join(' ');
    if (!answer.ok) return;
    file = null;
    if (input) input.value = '';
    await look();
  }

  async function stop({ id }: PackageLoad) {
    await call('DELETE', `/api/packages/${id}`);
    await look();
  }
  // Who leaves while it is sent would lose it; once it is here it goes on by itself.
  const warn = (event: BeforeUnloadEvent) => {
    if (sending) event.preventDefault();
  };
  if (typeof window !== 'undefined') {
    window.addEventListener('beforeunload', warn);
    onDestroy(() => window.removeEventListener('beforeunload', warn));
  }
</script>

<HomePage
  title="Bring in a package"
  purpose="A package is a whole workspace in one file: its tables, records, files, forms, routines and summaries. It becomes a workspace of yours, as it was where it was taken out, here or on another server."
  who={data.person.name}
>
  <form onsubmit={send}>
    <label>
      Package
      <input
        type="file"
        accept=".zip,application/zip"
        bind:this={input}
        onchange={(event) => (file = event.currentTarget.files?.[0] ?? null)}
      />
    </label>
    <Button kind="main" type="submit" disabled={!file || sending}>{sending ? 'Sending …' : 'Bring it in'}</Button>
  </form>
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
  <ul aria-live="polite">
    {#each loads as load (load.id)}
      <li class={load.state}>
        <b>{load.name}</b> <span class="soft">{agoWords(load.at)}</span>
        {#if load.state === 'working'}
          <p>
            <progress
              aria-label="Bringing in {load.name}"
              max={Math.max(load.progress?.of ?? 1, 1)}
              value={load.progress?.done}
            ></progress>
            {doingWords(load)} …
            <Button kind="quiet" onclick={() => void stop(load)}>Cancel</Button>
          </p>
        {:else if load.state === 'done'}
          <p>
            {counted(load.records, 'record')} in {counted(load.workspaces.length, 'workspace')}:
            {#each load.workspaces as key (key)}<a href="/w/{key}">{key}</a>{/each}
          </p>
          {#if load.notes.length > 0}
            <ul class="notes">
              {#each load.notes as note, index (index)}<li>{note}</li>{/each}
            </ul>
          {/if}
        {:else}
          <p class="refused">{load.problem}</p>
        {/if}
      </li>
    {:else}
      <li class="none">To take a workspace out, open its menu on Home and choose “Take out as a package”.</li>
    {/each}
  </ul>
</HomePage>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 12px;
    align-items: end;
    margin-bottom: 18px;
  }
  label {
    display: grid;
    gap: 4px;
  }
  li.done,
  li.failed,
  li.working {
    padding: 10px 14px;
    margin-bottom: 8px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-left: 5px solid var(--lichen);
  }
  li.failed {
    border-left-color: var(--madder);
  }
  li.working {
    border-left-color: var(--woad);
  }
  p {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 10px;
    align-items: center;
    margin-top: 4px;
  }
  .notes {
    margin: 6px 0 0 18px;
    color: var(--ink-soft);
    list-style: disc;
  }
  .soft,
  .none {
    color: var(--ink-soft);
  }
  .refused {
    color: var(--madder);
  }
</style>
