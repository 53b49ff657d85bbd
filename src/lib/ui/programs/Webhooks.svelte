<script lang="ts">
  import { untrack } from 'svelte';
  import { Input } from 'flowbite-svelte';
  import type { Model } from '$core/types/model';
  import { ownTables } from '$core/model/model';
  import { sharedViews, wholeView } from '$core/views/view';
  import type { WebhookShown } from '$server/webhooks/webhooks';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { counted } from '../values/words';
  import Deliveries from './Deliveries.svelte';
  import ShownOnce from '../controls/ShownOnce.svelte';

  /** Where changes of a table are sent as they happen. */
  const { workspace, model }: { workspace: string; model: Model } = $props();
  const { notices, live } = useFrame();
  const tables = $derived(ownTables(model));
  let hooks = $state.raw<readonly WebhookShown[] | null>(null);
  let label = $state('');
  let url = $state('');
  let table = $state('');
  let view = $state('');
  const views = $derived(
    sharedViews(tables.find(({ key }) => key === table) ?? ({ fields: [] as never, parts: {} } as never)).filter(
      ({ id }) => id !== wholeView,
    ),
  );
  let secret = $state<{ label: string; secret: string } | null>(null);
  /** The webhook whose deliveries are shown, and the one that is about to go. */
  let looked = $state<number | null>(null);
  let going = $state<number | null>(null);

  async function read() {
    const answer = await call<{ items: WebhookShown[] }>('GET', workspacePath(workspace, '/webhooks'));
    if (!answer.ok) return notices.refused(answer.problem);
    hooks = answer.value.items;
  }
  $effect(() => {
    void live.count;
    untrack(() => void read());
    const timer = setInterval(() => void read(), 3_000);
    return () => clearInterval(timer);
  });

  async function make(event: SubmitEvent) {
    event.preventDefault();
    const wish = { label, table, url, ...(view ? { view } : {}) };
    const answer = await call<WebhookShown & { secret: string }>('POST', workspacePath(workspace, '/webhooks'), wish);
    if (!answer.ok) return notices.refused(answer.problem);
    secret = { label, secret: answer.value.secret };
    [label, url, looked] = ['', '', answer.value.id];
    await read();
  }
  async function send(method: string, id: number, body: unknown, done: string) {
    const answer = await call(method, workspacePath(workspace, `/webhooks/${id}`), body);
    if (answer.ok) notices.done(done);
    else notices.refused(answer.problem);
    await read();
  }
  async function remove({ id, label: name }: WebhookShown) {
    if (going !== id) return void (going = id);
    going = null;
    await send('DELETE', id, undefined, `“${name}” is deleted with its log.`);
  }
  const stateWords = ({ state, waiting, problem }: WebhookShown): string =>
    state === 'stopped'
      ? `stopped, ${counted(waiting, 'delivery', 'deliveries')} waiting`
      : problem !== null
        ? `tries again, ${waiting} waiting`
        : waiting > 0
          ? `sends ${waiting}`
          : 'on';
</script>

<h2>Webhooks</h2>
<p class="about">
  Changes of a table, or of what a shared view shows of it, are sent as JSON to an address: signed, in order, and again
  until they arrive. What is sent is what whoever made the webhook may see.
</p>
<form class="asking" onsubmit={make} aria-label="New webhook">
  <label>Name <Input class="py-1.5" bind:value={label} placeholder="what it is for" maxlength={120} required /></label>
  <label
    >Table
    <select class="in-line" bind:value={table} onchange={() => (view = '')} aria-label="Table of the webhook" required
      ><option value="">choose a table</option>{#each tables as one (one.id)}<option value={one.key}>{one.label}</option
        >{/each}</select
    ></label
  >
  {#if table && views.length > 0}
    <label
      >Records
      <select class="in-line" bind:value={view} aria-label="Records of the webhook"
        ><option value="">all of them</option>{#each views as one (one.id)}<option value={one.id}
            >those of “{one.label}”</option
          >{/each}</select
      ></label
    >
  {/if}
  <label class="wide"
    >Address <Input class="py-1.5" bind:value={url} placeholder="https://" maxlength={2000} required /></label
  >
  <Button kind="main" type="submit">Make a webhook</Button>
</form>
{#if secret}
  <ShownOnce
    words="This is the secret of “{secret.label}”, by which its receiver knows that a message is from here. It is shown only now."
    text={secret.secret}
    done={() => (secret = null)}
  />
{/if}
{#if hooks?.length === 0}
  <p>There are none yet.</p>
{:else if hooks}
  <table class="listing">
    <thead
      ><tr
        ><th>name</th><th>sends</th><th>to</th><th>made by</th><th>state</th><th><span class="sr-only">step</span></th
        ></tr
      ></thead
    >
    <tbody>
      {#each hooks as hook (hook.id)}
        <tr>
          <td><b>{hook.label}</b></td>
          <td>{hook.tableLabel ?? 'a table that is gone'}{hook.viewLabel ? `, as in “${hook.viewLabel}”` : ''}</td>
          <td class="address">{hook.url}</td>
          <td>{hook.by}</td>
          <td class:bad={hook.problem !== null || hook.state === 'stopped'}>
            {stateWords(hook)}
            {#if hook.problem !== null}<div class="aside">{hook.problem}</div>{/if}
          </td>
          <td class="steps">
            <Button kind="quiet" onclick={() => (looked = looked === hook.id ? null : hook.id)}
              >Log<span class="sr-only"> of {hook.label}</span></Button
            >
            {#if hook.state === 'stopped'}
              <Button kind="quiet" onclick={() => void send('PATCH', hook.id, { state: 'on' }, 'It goes on.')}
                >Go on<span class="sr-only"> with {hook.label}</span></Button
              >
              {#if hook.problem !== null}<Button
                  kind="quiet"
                  onclick={() =>
                    void send('PATCH', hook.id, { state: 'on', passOver: true }, 'It goes on with the next one.')}
                  >Skip and go on<span class="sr-only"> with {hook.label}</span></Button
                >{/if}
            {:else}
              <Button kind="quiet" onclick={() => void send('PATCH', hook.id, { state: 'stopped' }, 'It is stopped.')}
                >Stop<span class="sr-only"> {hook.label}</span></Button
              >
            {/if}
            <Button kind={going === hook.id ? 'danger' : 'quiet'} onclick={() => void remove(hook)}
              >{going === hook.id ? 'Really delete' : 'Delete'}<span class="sr-only"> {hook.label}</span></Button
            >
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
  {#each hooks.filter(({ id }) => id === looked) as hook (hook.id)}
    <Deliveries {workspace} {hook} />
  {/each}
{/if}

<style>
  h2 {
    font-size: 17px;
  }
  .about {
    max-width: 760px;
    margin-bottom: 10px;
    color: var(--ink-soft);
  }
  .wide {
    flex: 1;
    min-width: 240px;
    max-width: 420px;
  }
  .address {
    overflow-wrap: anywhere;
  }
  .bad {
    color: var(--madder);
  }
  .aside {
    font-size: 12px;
    overflow-wrap: anywhere;
  }
  @media (max-width: 700px) {
    th:nth-child(3),
    td:nth-child(3),
    th:nth-child(4),
    td:nth-child(4) {
      display: none;
    }
  }
</style>
