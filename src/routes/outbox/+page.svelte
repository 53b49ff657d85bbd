<script lang="ts">
  import HomePage from '$ui/frame/HomePage.svelte';
  import { counted } from '$ui/values/words';

  const { data } = $props();
  /** Text with its addresses, so that one can go there. */
  const parts = (body: string) => body.split(/(https?:\/\/\S+)/);
</script>

<HomePage
  title="Outbox"
  purpose={data.all
    ? 'Messages that went out. They stay here instead of going to a mail server.'
    : 'Messages that you had sent, without the addresses that are for their recipients alone. Those who manage the Directory pass them on.'}
  who={data.person.name}
>
  {#each data.messages.items as { id, at, recipient, subject, body, by } (id)}
    <article>
      <h2>{subject}</h2>
      <p class="aside">to {recipient} · {new Date(at).toLocaleString()} · sent by {by}</p>
      <p class="body">
        {#each parts(body) as part, index (index)}{#if part.startsWith('http')}<a href={part}>{part}</a
            >{:else}{part}{/if}{/each}
      </p>
    </article>
  {:else}<p class="none">Nothing went out yet. Whoever is invited to a workspace is written to.</p>{/each}
  {#if data.messages.next !== null}<p class="none">The newest {counted(data.shown, 'message')} are shown.</p>{/if}
</HomePage>

<style>
  article {
    max-width: 760px;
    padding: 12px 16px;
    margin-bottom: 12px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  h2 {
    font-size: 15px;
  }
  .aside,
  .none {
    color: var(--ink-faint);
    font-size: 13px;
  }
  .body {
    margin-top: 8px;
    overflow-wrap: anywhere;
    white-space: pre-line;
  }
  .body a {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
