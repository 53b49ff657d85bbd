<script lang="ts">
  import { enhance } from '$app/forms';
  import { Input } from 'flowbite-svelte';
  import { invalidateAll } from '$app/navigation';
  import Button from '$ui/controls/Button.svelte';
  import HomePage from '$ui/frame/HomePage.svelte';
  import { counted } from '$ui/values/words';

  const { data, form } = $props();
  const answers = [
    { value: 200, words: 'takes it (200)' },
    { value: 500, words: 'fails (500)' },
    { value: 410, words: 'is gone (410)' },
  ];
  const signatures = { right: 'signature is right', wrong: 'signature is wrong', unknown: '' } as const;
  $effect(() => {
    const timer = setInterval(() => void invalidateAll(), 2_000);
    return () => clearInterval(timer);
  });
</script>

<HomePage
  title="Web stand-in"
  purpose="Plays the server of somebody else: send webhooks to one of its addresses, and see here what arrives."
  who={data.person.name}
>
  {#if form?.refused}<p class="refused" role="alert">{form.refused}</p>{/if}
  <form method="post" use:enhance class="asking">
    <label>Name <Input class="py-1.5" name="name" placeholder="labels-shop" required maxlength={60} /></label>
    <input type="hidden" name="answers" value="200" />
    <Button type="submit">New address</Button>
  </form>
  {#each data.addresses as { name, answers: now, received } (name)}
    <section>
      <h2><code>{data.origin}/stand-ins/web/{name}</code></h2>
      <form
        method="post"
        class="asking"
        use:enhance={() =>
          ({ update }) =>
            update({ reset: false })}
      >
        <input type="hidden" name="name" value={name} />
        <label
          >From now on it
          <select class="in-line" name="answers" value={now} aria-label="How {name} answers"
            >{#each answers as { value, words } (value)}<option {value}>{words}</option>{/each}</select
          ></label
        >
        <label>Secret, to look at signatures <Input class="py-1.5" name="secret" placeholder="whsec_…" /></label>
        <Button type="submit">Set</Button>
      </form>
      <p>{counted(received.length, 'message')} came{received.length === 100 ? ' (the newest 100)' : ''}.</p>
      <ol>
        {#each received as one, at (one.at + String(received.length - at))}
          <li>
            <p>
              <time datetime={one.at}>{new Date(one.at).toLocaleTimeString()}</time>
              <b class:refused={one.answered >= 300}>answered {one.answered}</b>
              <span>{one.headers['webhook-id']}</span>
              <b class:refused={one.signature === 'wrong'}>{signatures[one.signature]}</b>
            </p>
            <pre>{one.body}</pre>
          </li>
        {/each}
      </ol>
    </section>
  {/each}
</HomePage>

<style>
  section {
    padding: 14px 16px;
    margin-top: 14px;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  h2 {
    margin-bottom: 8px;
    font-size: 15px;
    overflow-wrap: anywhere;
  }
  li {
    padding: 8px 0;
    border-top: 1px solid var(--line);
  }
  li p {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    font-size: 13px;
  }
  time,
  li span {
    color: var(--ink-faint);
  }
  pre {
    max-height: 160px;
    margin-top: 4px;
    overflow: auto;
    font: 12px var(--mono);
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  .refused {
    color: var(--madder);
  }
</style>
