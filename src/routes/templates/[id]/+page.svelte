<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { StructureDifference } from '$core/changes/difference';
  import type { Problem } from '$core/base/problem';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import Sign from '$ui/controls/Sign.svelte';
  import HomePage from '$ui/frame/HomePage.svelte';
  import { counted } from '$ui/values/words';

  /** A template before it is used: what is in it, a look at it on its samples, and where it is to stand. */
  const { data } = $props();
  const id = $derived(page.params.id ?? '');
  const shown = $derived(data.shown);
  const placeholders = $derived(data.tables.some(({ placeholder }) => placeholder));
  let into = $state(page.url.searchParams.get('for') ?? '');
  let name = $state('');
  let samples = $state(true);
  let busy = $state('');
  let problem = $state.raw<Problem | null>(null);
  let compared = $state.raw<readonly StructureDifference[] | null>(null);
  const label = $derived(shown?.label ?? '');

  async function look() {
    busy = 'Making the preview …';
    const answer = await call<{ workspace: string }>('POST', '/api/templates/preview', { template: id });
    busy = '';
    if (answer.ok) await goto(`/w/${answer.value.workspace}`);
    else problem = answer.problem;
  }

  async function use() {
    problem = null;
    if (into !== '') return goto(`/w/${into}/template/${id}`);
    busy = 'Making the workspace …';
    const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
    const made = await call<{ key: string }>('POST', '/api/workspaces', { label: name.trim() || label, zone }, true);
    if (!made.ok) return refused(made.problem);
    const { key } = made.value;
    if (placeholders) return goto(`/w/${key}/template/${id}`);
    busy = 'Making the tables …';
    const planned = await call<{ use: number }>('POST', workspacePath(key, '/templates/plan'), {
      template: id,
      samples,
    });
    if (!planned.ok) return refused(planned.problem);
    const used = await call<{ problem: Problem | null }>('POST', workspacePath(key, '/templates/apply'), {
      use: planned.value.use,
    });
    if (!used.ok) return refused(used.problem);
    if (used.value.problem) return refused(used.value.problem);
    await goto(`/w/${key}`);
  }
  function refused(why: Problem) {
    [busy, problem] = ['', why];
  }

  async function compare(other: string) {
    compared = null;
    if (other === '') return;
    const answer = await call<{ difference: StructureDifference[] }>('POST', '/api/templates/compare', {
      before: other,
      now: id,
    });
    if (answer.ok) compared = answer.value.difference;
    else problem = answer.problem;
  }

  async function settle(audience: readonly number[] | null) {
    const answer = await call('PATCH', `/api/templates/${id}`, { audience });
    problem = answer.ok ? null : answer.problem;
  }
  async function remove() {
    const answer = await call('DELETE', `/api/templates/${id}`);
    if (answer.ok) await goto('/templates');
    else problem = answer.problem;
  }
</script>

<HomePage title={label} purpose={shown?.description ?? ''} who={data.person.name}>
  <p class="way"><a href="/templates">Templates</a> › {label}{shown?.ships ? '' : `, version ${shown?.version}`}</p>
  <div class="sides">
    <section aria-label="What is in it">
      <h2>What is in it</h2>
      <p class="soft">{data.contents.map(({ count, word, words }) => counted(count, word, words)).join(', ')}</p>
      <ul>
        {#each data.tables as table (table.key)}
          <li style:--dye="var(--dye-{table.dye})">
            <b
              >{#if table.icon}<span class="sign"><Sign icon={table.icon} /></span>{/if}{table.label}</b
            >
            <span class="soft">{table.placeholder ? 'stands for a table of yours' : table.description}</span>
            <p>{table.fields.join(', ')}</p>
          </li>
        {/each}
      </ul>
    </section>
    <section class="use" aria-label="Use it">
      <Button onclick={() => void look()} disabled={busy !== ''}>Look at it with its samples</Button>
      <p class="soft">Opens its real grids, forms and summaries. Nothing of yours is touched, and it goes by itself.</p>
      <h2>Use it</h2>
      <label
        >In
        <select class="in-line" aria-label="Where it is to stand" bind:value={into}>
          <option value="">a new workspace</option>
          {#each data.workspaces as one (one.key)}<option value={one.key}>{one.label}</option>{/each}
        </select></label
      >
      {#if into === ''}
        <label
          >called <input
            class="in-line"
            aria-label="Name of the workspace"
            placeholder={label}
            bind:value={name}
          /></label
        >
        {#if !placeholders}
          <label class="tick"
            ><input type="checkbox" bind:checked={samples} /> with its {counted(
              data.tables.reduce((sum, one) => sum + one.samples, 0),
              'sample record',
            )}; they can be removed in one step</label
          >
        {/if}
      {:else}<p class="soft">You see next what is made there, and which of your tables can take part.</p>{/if}
      <Button kind="main" disabled={busy !== ''} onclick={() => void use()}
        >{into === '' ? 'Make the workspace' : 'Go on'}</Button
      >
      {#if busy}<p role="status">{busy}</p>{/if}
      {#if problem}<p class="refused" role="alert">{problem.message} {problem.fix ?? ''}</p>{/if}

      <h2>Its text</h2>
      <p class="soft">
        One JSON text, to be read, kept and compared. <a href="/api/templates/{id}" download="{label}.json">Save it</a>
      </p>
      {#if data.versions.length > 1}
        <label
          >Compare with
          <select class="in-line" onchange={(event) => void compare(event.currentTarget.value)}>
            <option value="">…</option>
            {#each data.versions.filter((one) => one.id !== id) as one (one.id)}
              <option value={one.id}>version {one.version}</option>
            {/each}
          </select></label
        >
        {#if compared}
          <ul class="difference">
            {#each compared as { kind, what, changes }, index (index)}
              <li>
                {kind}: <b>{what}</b>
                {#each changes as { of, before, now } (of)}<br /><small>{of}: {before} → {now}</small>{/each}
              </li>
            {:else}<li>Nothing is different.</li>{/each}
          </ul>
        {/if}
      {/if}
      {#if shown?.changeable}
        <h2>Who sees it</h2>
        <label
          >In the gallery
          <select
            class="in-line"
            value={shown.audience === null ? 'all' : String(shown.audience[0] ?? 'me')}
            onchange={(event) => {
              const { value } = event.currentTarget;
              void settle(value === 'all' ? null : value === 'me' ? [] : [Number(value)]);
            }}
          >
            <option value="all">for everybody here</option>
            <option value="me">for me alone</option>
            {#each data.groups as group (group.id)}<option value={String(group.id)}>for {group.label}</option>{/each}
          </select></label
        >
        <Button kind="danger" onclick={() => void remove()}>Take it out of the gallery</Button>
      {/if}
    </section>
  </div>
</HomePage>

<style>
  .way {
    margin-bottom: 12px;
    color: var(--ink-soft);
  }
  .way a,
  .use a {
    color: var(--woad);
    text-decoration: underline;
  }
  .sides {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 340px;
    gap: 28px;
  }
  h2 {
    margin: 14px 0 6px;
    font-size: 16px;
  }
  section > :first-child {
    margin-top: 0;
  }
  .soft {
    color: var(--ink-soft);
  }
  ul {
    margin-top: 8px;
  }
  li {
    padding: 8px 12px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-left: 5px solid var(--dye, var(--line));
  }
  li + li {
    margin-top: -1px;
  }
  li b {
    display: inline-flex;
    gap: 6px;
    align-items: baseline;
    margin-right: 6px;
  }
  .sign {
    align-self: center;
    color: var(--dye);
  }
  li p {
    font-size: 13px;
  }
  .use {
    align-self: start;
  }
  .use label,
  .use p {
    display: block;
    margin: 6px 0;
  }
  .use .tick {
    display: flex;
    gap: 8px;
    align-items: baseline;
  }
  .refused {
    color: var(--madder);
  }
  @media (max-width: 800px) {
    .sides {
      grid-template-columns: 1fr;
    }
    .use {
      grid-row: 1;
    }
  }
</style>
