<script lang="ts">
  import { untrack } from 'svelte';
  import { goto, invalidateAll } from '$app/navigation';
  import type { Message, MessageWhole } from '$server/sending/outbox';
  import { call } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import HomePage from '$ui/frame/HomePage.svelte';
  import { agoWords, counted } from '$ui/values/words';

  /** A mail service that ships with the application: what went out, as it would arrive. */
  const { data } = $props();
  let opened = $state.raw<MessageWhole | null>(null);
  let side = $state<'text' | 'html' | 'headers'>('text');
  let refused = $state('');
  let more = $state.raw<readonly Message[]>([]);
  let next = $state<number | null>(null);
  $effect(() => {
    const { messages } = data;
    untrack(() => ([more, next] = [[], messages.next]));
  });
  const all = $derived([...data.messages.items, ...more]);
  // New ones come by themselves; not while earlier ones are looked through.
  $effect(() => {
    const timer = setInterval(() => more.length === 0 && void invalidateAll(), 4_000);
    return () => clearInterval(timer);
  });

  async function open(id: number) {
    if (opened?.id === id) return void (opened = null);
    const answer = await call<MessageWhole>('GET', `/api/outbox/${id}`);
    if (answer.ok) [opened, refused, side] = [answer.value, '', 'text'];
    else refused = answer.problem.message;
  }
  async function earlier() {
    const query = new URLSearchParams({ q: data.q, after: String(next ?? ''), limit: String(data.shown) });
    const answer = await call<{ items: Message[]; next: number | null }>('GET', `/api/outbox?${query}`);
    if (answer.ok) [more, next] = [[...more, ...answer.value.items], answer.value.next];
    else refused = answer.problem.message;
  }
  async function answers(change: { refuses?: boolean; seconds?: number }) {
    const answer = await call('PUT', '/api/outbox/stand-in', { ...data.standIn, ...change });
    refused = answer.ok ? '' : answer.problem.message;
    await invalidateAll();
  }
  let timer: ReturnType<typeof setTimeout> | undefined;
  function search(text: string) {
    clearTimeout(timer);
    timer = setTimeout(
      () => void goto(`?${new URLSearchParams(text ? { q: text } : {})}`, { replaceState: true, keepFocus: true }),
      250,
    );
  }
  /** Text with its addresses, so that one can go there. */
  const parts = (body: string) => body.split(/(https?:\/\/\S+)/);
  const sides = [
    ['text', 'Text'],
    ['html', 'HTML'],
    ['headers', 'Headers'],
  ] as const;
</script>

<HomePage
  title="Outbox"
  purpose={!data.isStandIn
    ? 'Invitations that went out. Messages of routines go to the mail server.'
    : data.all
      ? 'Messages that went out. They stay here instead of going to a mail server.'
      : 'Messages that you had sent, without the addresses that are for their recipients alone. Those who manage the Directory pass them on.'}
  who={data.person.name}
>
  <div class="bar">
    <input
      class="in-line"
      type="search"
      aria-label="Search the messages"
      placeholder="Search: recipient, subject, text, routine"
      value={data.q}
      oninput={(event) => search(event.currentTarget.value)}
    />
    {#if data.all && data.isStandIn}
      <label
        >this mail service
        <select
          class="in-line"
          value={data.standIn.refuses ? 'refuses' : 'takes'}
          onchange={(event) => void answers({ refuses: event.currentTarget.value === 'refuses' })}
        >
          <option value="takes">takes messages</option>
          <option value="refuses">refuses messages</option>
        </select></label
      >
      <label
        >and answers
        <select
          class="in-line"
          value={String(data.standIn.seconds)}
          onchange={(event) => void answers({ seconds: Number(event.currentTarget.value) })}
        >
          <option value="0">at once</option>
          <option value="5">after 5 s</option>
          <option value="30">too late (after 30 s)</option>
        </select></label
      >
    {/if}
  </div>
  {#if data.standIn.refuses && data.isStandIn}<p class="note" role="status">
      It refuses messages now: routines try again, with growing pauses, until it takes them.
    </p>{/if}
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
  {#each all as { id, at, recipient, subject, body, by, routine } (id)}
    <article class:open={opened?.id === id}>
      <button class="head" aria-expanded={opened?.id === id} onclick={() => void open(id)}>
        <b>{subject}</b>
        <span class="aside"
          >to {recipient} · <time datetime={at} title={new Date(at).toLocaleString()}>{agoWords(at)}</time> · {routine
            ? `by the routine “${routine}”`
            : `sent by ${by}`}</span
        >
      </button>
      {#if opened?.id === id}
        <div class="ways">
          <span role="group" aria-label="What is shown of it">
            {#each sides as [name, label] (name)}
              <button aria-pressed={side === name} onclick={() => (side = name)}>{label}</button>
            {/each}
          </span>
          <Button href="/api/outbox/{id}/mail.eml">Download as .eml</Button>
        </div>
        {#if side === 'html'}
          {#if opened.html}<iframe title="The message as HTML" sandbox="" srcdoc={opened.html}></iframe>
          {:else}<p class="aside">It has no HTML.</p>{/if}
        {:else if side === 'headers'}
          <dl>
            {#each opened.headers as { key, value }, index (index)}
              <dt>{key}</dt>
              <dd>{value}</dd>
            {/each}
          </dl>
        {:else}
          <p class="body">
            {#each parts(body) as part, index (index)}{#if part.startsWith('http')}<a href={part}>{part}</a
                >{:else}{part}{/if}{/each}
          </p>
        {/if}
        {#each opened.attachments as { name, type, bytes }, index (index)}
          <p class="aside">Attached: {name} ({type}, {counted(bytes, 'byte')})</p>
        {/each}
      {/if}
    </article>
  {:else}<p class="none">
      {data.q
        ? `No message has “${data.q}” in it.`
        : 'Nothing went out yet. Whoever is invited to a workspace is written to, and routines write.'}
    </p>{/each}
  {#if next !== null}<Button onclick={() => void earlier()}>Show earlier ones</Button>{/if}
</HomePage>

<style>
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 18px;
    align-items: baseline;
    margin-bottom: 12px;
  }
  .bar input {
    flex: 0 1 340px;
    min-width: 0;
    padding-block: 4px;
  }
  .bar label {
    color: var(--ink-soft);
    font-size: 13px;
  }
  article {
    max-width: 860px;
    margin-bottom: 6px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  .open {
    padding-bottom: 12px;
    border-color: var(--line-strong);
  }
  .head {
    display: flex;
    flex-direction: column;
    width: 100%;
    padding: 8px 16px;
    text-align: left;
    overflow-wrap: anywhere;
  }
  .aside,
  .none {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .note {
    margin-bottom: 10px;
    color: var(--weld);
  }
  .refused {
    color: var(--madder);
  }
  .ways {
    display: flex;
    flex-wrap: wrap;
    gap: 12px;
    align-items: center;
    padding: 0 16px 6px;
  }
  .ways > span {
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .ways span button {
    padding: 2px 10px;
    color: var(--ink-soft);
  }
  .ways [aria-pressed='true'] {
    color: var(--ink);
    font-weight: 600;
    background: var(--woad-tint);
  }
  .body,
  dl,
  article > .aside {
    padding: 0 16px;
  }
  .body {
    overflow-wrap: anywhere;
    white-space: pre-line;
  }
  .body a {
    color: var(--woad);
    text-decoration: underline;
  }
  iframe {
    width: calc(100% - 32px);
    height: 260px;
    margin: 0 16px;
    background: white;
    border: 1px solid var(--line);
  }
  dl {
    display: grid;
    grid-template-columns: max-content minmax(0, 1fr);
    gap: 2px 14px;
    font: 12px/1.5 var(--mono);
  }
  dt {
    color: var(--ink-soft);
  }
  dd {
    overflow-wrap: anywhere;
  }
</style>
