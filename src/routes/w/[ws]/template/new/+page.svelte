<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { untrack } from 'svelte';
  import { keyFromLabel } from '$core/base/key';
  import { ownTables } from '$core/model/model';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { counted } from '$ui/values/words';

  /** A template made of tables that stand: which, what goes along, and what reaches outside. */
  interface Made {
    readonly template: object;
    readonly contents: readonly { readonly word: string; readonly words: string; readonly count: number }[];
    readonly left: readonly string[];
    readonly outside: readonly { readonly label: string; readonly to: string; readonly toLabel: string }[];
  }
  const { data } = $props();
  const { notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const own = $derived(ownTables(data.model));
  let taken = $state<string[]>(untrack(() => ownTables(data.model).map(({ key }) => key)));
  let placeholders = $state<string[]>([]);
  let label = $state(untrack(() => data.workspace.label));
  let description = $state(untrack(() => data.workspace.description));
  let version = $state(1);
  let samples = $state(0);
  let made = $state.raw<Made | null>(null);
  let reading = $state(false);
  const name = $derived(keyFromLabel(label, 'template').replaceAll('_', '-'));
  const known = $derived(new Set(own.map(({ key }) => key)));
  const others = $derived([...taken, ...placeholders].filter((key) => !known.has(key)));

  let asked = 0;
  async function read(body: object) {
    const mine = ++asked;
    reading = true;
    const answer = await call<Made>('POST', workspacePath(workspace, '/templates/made'), body);
    if (mine !== asked) return;
    reading = false;
    if (answer.ok) made = answer.value;
    else {
      made = null;
      notices.refused(answer.problem);
    }
  }
  const wish = $derived({
    name,
    version,
    label: label.trim() || 'Template',
    description,
    dye: data.workspace.dye,
    icon: data.workspace.icon,
    tables: taken,
    placeholders,
    samples,
  });
  $effect(() => {
    const body = wish;
    if (body.tables.length === 0) return;
    const timer = setTimeout(() => untrack(() => void read(body)), 250);
    return () => clearTimeout(timer);
  });

  const turn = (list: string[], key: string) =>
    list.includes(key) ? list.filter((one) => one !== key) : [...list, key];
  /** What becomes of the table that a link leads to. */
  function settle(to: string, how: 'take' | 'stand') {
    if (how === 'take') [taken, placeholders] = [[...taken, to], placeholders.filter((one) => one !== to)];
    else placeholders = [...placeholders, to];
  }
  async function keep() {
    if (!made) return;
    const answer = await call<{ id: string }>('POST', '/api/templates', { template: made.template }, true);
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`“${label}” is in the gallery.`, {
      label: 'Open it',
      run: () => goto(`/templates/${answer.value.id}`),
    });
  }
  function save() {
    if (!made) return;
    const url = URL.createObjectURL(
      new Blob([`${JSON.stringify(made.template, null, 2)}\n`], { type: 'application/json' }),
    );
    Object.assign(document.createElement('a'), { href: url, download: `${name}.json` }).click();
    URL.revokeObjectURL(url);
  }
</script>

<svelte:head><title>Make a template · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title="Make a template"
  purpose="Tables with all that belongs to them, as one text that another team can begin with."
>
  {#if !data.workspace.may.design}
    <p>Templates are made by those who may change the structure.</p>
  {:else}
    <div class="sides">
      <section aria-label="What it is">
        <label
          >Name <input class="in-line" aria-label="Name of the template" maxlength="120" bind:value={label} /></label
        >
        <label
          >What it is for
          <textarea class="in-line" aria-label="What it is for" rows="2" bind:value={description}></textarea></label
        >
        <label>Version <input class="in-line short" type="number" min="1" bind:value={version} /></label>
        <fieldset>
          <legend>Tables</legend>
          {#each own as table (table.id)}
            <label class="tick" style:--dye="var(--dye-{table.dye})"
              ><input
                type="checkbox"
                checked={taken.includes(table.key)}
                onchange={() => (taken = turn(taken, table.key))}
              />
              {table.label}</label
            >
          {/each}
          {#each others as key (key)}
            <label class="tick"
              ><input
                type="checkbox"
                checked
                onchange={() => {
                  taken = taken.filter((one) => one !== key);
                  placeholders = placeholders.filter((one) => one !== key);
                }}
              />
              {key}{placeholders.includes(key) ? ' (stands for a table of theirs)' : ''}</label
            >
          {/each}
        </fieldset>
        <label
          >Sample records
          <select class="in-line" bind:value={samples}>
            <option value={0}>none</option>
            <option value={50}>about 50 of yours</option>
            <option value={200}>about 200 of yours</option>
          </select></label
        >
        {#if samples > 0}<p class="soft">
            Your newest records go into the text as they are. Read it before you share it.
          </p>{/if}
      </section>
      <section aria-label="What goes along">
        <h2>What goes along</h2>
        {#if taken.length === 0}<p class="soft">Choose a table.</p>
        {:else if !made}<p class="soft">Reading …</p>
        {:else}
          <p>{made.contents.map(({ count, word, words }) => counted(count, word, words)).join(', ')}</p>
          {#if made.outside.length > 0}
            <h2>Links that lead outside</h2>
            <ul>
              {#each made.outside as one (one.label)}
                <li>
                  {one.label} leads to <b>{one.toLabel}</b>.
                  <Button kind="quiet" onclick={() => settle(one.to, 'take')}>Take it too</Button>
                  <Button kind="quiet" onclick={() => settle(one.to, 'stand')}>Let them choose a table</Button>
                </li>
              {/each}
            </ul>
          {/if}
          {#if made.left.length > 0}
            <h2>What does not go along</h2>
            <ul class="left">
              {#each made.left as words, index (index)}<li>{words}</li>{/each}
            </ul>
          {:else}<p class="soft">Everything that belongs to these tables goes along.</p>{/if}
          <div class="steps">
            <Button kind="main" disabled={reading} onclick={() => void keep()}>Put it in the gallery</Button>
            <Button disabled={reading} onclick={save}>Save its text</Button>
          </div>
        {/if}
      </section>
    </div>
  {/if}
  <p class="soft"><a href="/templates?{new URLSearchParams({ for: page.params.ws ?? '' })}">All templates</a></p>
</StagePage>

<style>
  .sides {
    display: grid;
    grid-template-columns: 340px minmax(0, 1fr);
    gap: 28px;
    margin-bottom: 16px;
  }
  section > label {
    display: block;
    margin-bottom: 8px;
  }
  .short {
    width: 80px;
  }
  textarea {
    display: block;
    width: 100%;
  }
  fieldset {
    margin-bottom: 8px;
  }
  legend,
  .soft {
    color: var(--ink-soft);
  }
  .tick {
    display: flex;
    gap: 8px;
    padding: 3px 8px;
    border-left: 4px solid var(--dye, var(--line-strong));
  }
  h2 {
    margin: 12px 0 4px;
    font-size: 16px;
  }
  h2:first-child {
    margin-top: 0;
  }
  .left {
    list-style: disc inside;
  }
  .steps {
    display: flex;
    gap: 8px;
    margin-top: 14px;
  }
  a {
    color: var(--woad);
    text-decoration: underline;
  }
  @media (max-width: 800px) {
    .sides {
      grid-template-columns: 1fr;
    }
  }
</style>
