<script lang="ts">
  import type { Field } from '$core/types/field';
  import { call } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import FormFill from '$ui/forms/fill/FormFill.svelte';
  import { entryBody, outsideChoices } from '$ui/forms/fill/sending';

  /** A form as outsiders have it: nothing around it, nothing behind it. */
  const { data } = $props();
  interface Thanks {
    readonly thanks: string;
    readonly next: { readonly label: string; readonly address: string } | null;
  }
  let thanked = $state<Thanks | null>(null);
  let heading = $state<HTMLElement | null>(null);
  const path = $derived(`/api/forms/${encodeURIComponent(data.secret)}`);

  async function send(values: Readonly<Record<string, unknown>>, key: string) {
    const answer = await call<Thanks>('POST', `${path}/entries`, entryBody(values), key);
    if (answer.ok) {
      thanked = answer.value;
      scrollTo(0, 0);
    }
    return answer;
  }
  const choices = (field: Field, typed: string, values: Readonly<Record<string, unknown>>) =>
    outsideChoices(path, field, typed, values);
  // What is read out next is what one has come to.
  $effect(() => {
    if (thanked) heading?.focus();
  });
</script>

<svelte:head>
  <title>{data.label}</title>
  <meta name="robots" content="noindex" />
</svelte:head>

<div class="sheet">
  <main lang={data.language}>
    {#if data.languages.length > 1}
      <nav aria-label="Language">
        {#each data.languages as { code, label } (code)}
          <a
            href="?language={code}"
            hreflang={code}
            lang={code}
            data-sveltekit-replacestate
            aria-current={code === data.language ? 'true' : undefined}>{label}</a
          >
        {/each}
      </nav>
    {/if}
    <h1>{data.label}</h1>
    {#if data.page === null}
      <p class="said">{data.ended}</p>
    {:else if thanked}
      <div class="said" role="status">
        <h2 tabindex="-1" bind:this={heading}>It has arrived.</h2>
        {#if thanked.thanks}<p>{thanked.thanks}</p>{/if}
        <div class="steps">
          {#if thanked.next}<Button kind="main" href={thanked.next.address}>{thanked.next.label}</Button>{/if}
          <Button onclick={() => (thanked = null)}>Fill it in again</Button>
        </div>
      </div>
    {:else}
      <FormFill
        page={data.page}
        zone={data.zone}
        today={data.today}
        kept="loom form {data.secret}"
        action="Send"
        {choices}
        {send}
      />
    {/if}
  </main>
</div>

<style>
  nav {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    justify-content: flex-end;
    margin: -8px 0 10px;
  }
  nav a {
    color: var(--woad);
    text-decoration: underline;
  }
  nav a[aria-current] {
    color: var(--ink);
    font-weight: 600;
    text-decoration: none;
  }
  .sheet {
    min-height: 100dvh;
    padding: 32px 16px 48px;
    background: var(--ground);
  }
  main {
    max-width: 640px;
    padding: 24px 28px 28px;
    margin: 0 auto;
    background: var(--raised);
    border: 1px solid var(--line);
    border-top: 4px solid var(--woad);
  }
  h1 {
    margin-bottom: 12px;
    font-size: 22px;
    line-height: 1.25;
    overflow-wrap: anywhere;
  }
  h2 {
    font-size: 16px;
  }
  h2:focus {
    outline: none;
  }
  .said {
    white-space: pre-line;
  }
  .said p {
    margin-top: 4px;
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    margin-top: 20px;
    white-space: normal;
  }
  @media (max-width: 600px) {
    .sheet {
      padding: 0;
    }
    main {
      min-height: 100dvh;
      padding: 18px 16px 32px;
      border-inline: 0;
    }
  }
</style>
