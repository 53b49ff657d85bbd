<script lang="ts">
  import { untrack } from 'svelte';
  import type { PackageLook } from '$server/packages/write';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import { byteWords, counted } from '$ui/values/words';

  /** Takes the whole workspace out. */
  const { data } = $props();
  const workspace = $derived(data.workspace.key);
  let linked = $state(true);
  let look = $state.raw<PackageLook | null>(null);
  let refused = $state('');
  /** Whether there is anything that it is linked with. */
  let hasLinked = $state(false);

  async function ask(whole: boolean) {
    const answer = await call<PackageLook>('GET', workspacePath(workspace, `/package/look?linked=${whole}`));
    refused = answer.ok ? '' : [answer.problem.message, answer.problem.fix].filter(Boolean).join(' ');
    look = answer.ok ? answer.value : null;
    if (answer.ok && whole) hasLinked = answer.value.workspaces.length > 1;
    if (!answer.ok && whole && answer.problem.message.includes('linked')) hasLinked = true;
  }
  $effect(() => {
    const whole = linked;
    untrack(() => void ask(whole));
  });
</script>

<svelte:head><title>Take out · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage
  title="Take the whole workspace out"
  purpose="One file with everything: tables, records, links, formulas, views, forms, feeds, routines, documents, summaries, roles and files, in open formats. Brought in again, here or on another server, it is the same workspace."
>
  {#if hasLinked}
    <label class="check">
      <input type="checkbox" bind:checked={linked} />
      With the workspaces that it is linked with
    </label>
  {/if}
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
  {#if look}
    <dl>
      <dt>{look.workspaces.length === 1 ? 'Workspace' : 'Workspaces'}</dt>
      <dd>{look.workspaces.join(', ')}</dd>
      <dt>Tables</dt>
      <dd>{counted(look.tables, 'table')}, with all their records</dd>
      <dt>Files</dt>
      <dd>{look.files === 0 ? 'none' : `${counted(look.files, 'file')}, ${byteWords(look.bytes)}`}</dd>
      <dt>Not in it</dt>
      <dd>
        The history, who is a member, addresses of forms and calendars, tokens, webhooks, and what people have for
        themselves alone.
      </dd>
    </dl>
    {#if look.left.length > 0}
      <h2>Left out, as it needs what is not taken</h2>
      <ul>
        {#each look.left as words, index (index)}<li>{words}</li>{/each}
      </ul>
    {/if}
    <p class="download">
      <Button kind="main" href={workspacePath(workspace, `/package?linked=${linked}`)}>Download the package</Button>
      <span>It is brought in on Home, by “From a package”.</span>
    </p>
  {/if}
</StagePage>

<style>
  .check {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-bottom: 14px;
  }
  dl {
    display: grid;
    grid-template-columns: max-content minmax(0, 1fr);
    gap: 6px 20px;
    max-width: 760px;
  }
  dt {
    color: var(--ink-soft);
  }
  h2 {
    margin-top: 18px;
    font-size: 15px;
  }
  ul {
    margin-left: 18px;
    list-style: disc;
  }
  .download {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: center;
    margin-top: 20px;
    color: var(--ink-soft);
  }
  .refused {
    color: var(--madder);
  }
</style>
