<script lang="ts">
  import { enhance } from '$app/forms';
  import type { SubmitFunction } from '@sveltejs/kit';
  import { Input } from 'flowbite-svelte';
  import Button from '$ui/controls/Button.svelte';
  import HomePage from '$ui/frame/HomePage.svelte';

  const { data, form } = $props();

  /** What is drawn already speaks the language from before. */
  const speakAnew: SubmitFunction =
    () =>
    async ({ result, update }) => {
      if (result.type === 'success') location.reload();
      else await update();
    };
</script>

<HomePage title="Your account" purpose={data.person.email} who={data.person.name}>
  {#if form?.refused}<p class="refused" role="alert">{form.refused}</p>{/if}
  {#if form?.done}<p role="status">{form.done}</p>{/if}
  <h2>Language</h2>
  <p>The interface appears in it, and labels, forms and summaries where your team has translated them.</p>
  <form method="post" action="?/language" use:enhance={speakAnew} class="asking">
    <label>
      Language that you read
      <select class="in-line" name="language" value={data.language ?? ''}>
        <option value="">As the browser asks for</option>
        {#each data.languages as { code, label } (code)}<option value={code}>{label}</option>{/each}
      </select>
    </label>
    <Button type="submit">Choose</Button>
  </form>
  <h2>Second factor</h2>
  {#if data.factor}
    <p>
      An authenticator on your phone shows a number that changes every 30 seconds. With it nobody signs in as you who
      has only your password.
    </p>
    <form method="post" action="?/setUp" use:enhance class="asking set-up">
      <img class="picture" src={data.factor.picture} alt="The secret, to be taken by an authenticator" />
      <div>
        <p>1. Take this picture with the authenticator, or type the secret into it:</p>
        <p><code>{data.factor.secret}</code></p>
        <input type="hidden" name="secret" value={data.factor.secret} />
        <label
          >2. Type the number that it shows
          <Input
            class="py-1.5"
            name="code"
            inputmode="numeric"
            autocomplete="one-time-code"
            maxlength={8}
            required
          /></label
        >
        <Button kind="main" type="submit">Set it up</Button>
      </div>
    </form>
  {:else}
    <p>It is set up: you are asked for the number of your authenticator when you sign in.</p>
    <form method="post" action="?/remove" use:enhance class="asking">
      <label
        >Your password <Input
          class="py-1.5"
          name="password"
          type="password"
          autocomplete="current-password"
          required
        /></label
      >
      <Button type="submit">Remove it</Button>
    </form>
  {/if}
  <h2>Other devices</h2>
  <p>A sign-in ends by itself after 14 days, and after three days in which it is not used.</p>
  <form method="post" action="?/endOthers" use:enhance class="asking">
    <Button type="submit">Sign out everywhere else</Button>
  </form>
  <h2>For programs</h2>
  <p><a href="/tokens">Tokens</a></p>
</HomePage>

<style>
  h2 {
    margin: 20px 0 6px;
    font-size: 17px;
  }
  .set-up {
    align-items: start;
  }
  .set-up > div:last-child {
    display: grid;
    gap: 10px;
    justify-items: start;
  }
  .picture {
    width: 200px;
    height: 200px;
    background: #fff;
  }
  code {
    font: 14px var(--mono);
    overflow-wrap: anywhere;
  }
  a {
    color: var(--woad);
    text-decoration: underline;
  }
  .refused {
    color: var(--madder);
  }
</style>
