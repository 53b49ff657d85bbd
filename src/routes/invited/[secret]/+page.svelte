<script lang="ts">
  import { enhance } from '$app/forms';
  import { Input, Label } from 'flowbite-svelte';
  import Button from '$ui/controls/Button.svelte';

  const { data, form } = $props();
</script>

<svelte:head><title>Invitation · Inner Loom</title></svelte:head>
<main>
  {#if data.name === null}
    <h1>This address was used, or has ended</h1>
    <p>Ask whoever invited you for another one, or <a href="/sign-in">sign in</a> with the password that you set.</p>
  {:else}
    <h1>Welcome, {data.name}</h1>
    <p>Choose a password for {data.email}. You are signed in with it then.</p>
    <form method="post" use:enhance>
      <input type="hidden" name="email" autocomplete="username" value={data.email} />
      <Label class="mt-4"
        >Password, {data.leastPassword} characters or more<Input
          class="mt-1"
          name="password"
          type="password"
          autocomplete="new-password"
          minlength={data.leastPassword}
          required
        /></Label
      >
      {#if form?.message}<p class="refused" role="alert">{form.message}</p>{/if}
      <div class="mt-6"><Button kind="main" type="submit">Set the password</Button></div>
    </form>
  {/if}
</main>

<style>
  main {
    max-width: 480px;
    padding: 12vh 24px;
    margin: 0 auto;
  }
  h1 {
    margin-bottom: 8px;
    font-size: 26px;
  }
  p {
    color: var(--ink-soft);
  }
  a {
    color: var(--woad);
    text-decoration: underline;
  }
  .refused {
    margin-top: 12px;
    color: var(--madder);
  }
</style>
