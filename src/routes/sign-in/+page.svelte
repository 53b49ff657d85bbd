<script lang="ts">
  import { enhance } from '$app/forms';
  import { Input, Label } from 'flowbite-svelte';
  import Button from '$ui/controls/Button.svelte';

  const { data, form } = $props();
</script>

<svelte:head><title>Sign in · Inner Loom</title></svelte:head>
<main>
  <div class="cloth" aria-hidden="true"></div>
  <form
    method="post"
    use:enhance={() =>
      ({ update }) =>
        update({ reset: false })}
  >
    <h1>Inner Loom</h1>
    <p>Records that stay linked, numbers that explain themselves.</p>
    <Label class="mt-6"
      >Email<Input
        class="mt-1"
        name="email"
        type="email"
        autocomplete="username"
        required
        value={form?.email ?? ''}
      /></Label
    >
    <Label class="mt-4"
      >Password<Input class="mt-1" name="password" type="password" autocomplete="current-password" required /></Label
    >
    {#if form?.factor}
      <Label class="mt-4"
        >Number of your authenticator<Input
          class="mt-1"
          name="code"
          inputmode="numeric"
          autocomplete="one-time-code"
          maxlength={8}
          required
          autofocus
        /></Label
      >
    {/if}
    {#if form?.message}<p class="refused" role="alert">{form.message} {form.fix ?? ''}</p>{/if}
    <div class="mt-6"><Button kind="main" type="submit">Sign in</Button></div>
    {#if data.standIns}
      <p class="or">
        Of this demo: its <a href="/outbox">Outbox</a>, where messages arrive, and its
        <a href="/stand-ins/web">web stand-in</a>, which records calls.
      </p>
    {/if}
    {#if data.provider}
      <p class="or">
        or <a href="/sign-in/with?to={encodeURIComponent(data.to)}" data-sveltekit-reload
          >Sign in with {data.provider}</a
        >
      </p>
    {/if}
  </form>
</main>

<style>
  main {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(360px, 480px);
    height: 100dvh;
    background: var(--raised);
  }
  .cloth {
    background:
      repeating-linear-gradient(
        90deg,
        var(--woad) 0 9px,
        transparent 9px 16px,
        var(--dye-moss) 16px 22px,
        transparent 22px 40px
      ),
      repeating-linear-gradient(0deg, var(--woad-tint) 0 8px, var(--dye-weld) 8px 12px, var(--sunken) 12px 26px);
  }
  form {
    align-self: center;
    padding: 0 56px;
  }
  h1 {
    font-size: 28px;
  }
  p {
    color: var(--ink-soft);
  }
  .or {
    margin-top: 18px;
  }
  .or a {
    color: var(--woad);
    text-decoration: underline;
  }
  .refused {
    margin-top: 14px;
    color: var(--madder);
  }
  @media (max-width: 800px) {
    main {
      grid-template-columns: 1fr;
    }
    .cloth {
      display: none;
    }
    form {
      padding: 0 24px;
    }
  }
</style>
