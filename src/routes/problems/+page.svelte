<script lang="ts">
  import { problemKinds, problemSlug } from '$core/base/problemKinds';

  const kinds = Object.entries(problemKinds).map(([status, kind]) => ({ status: Number(status), ...kind }));
</script>

<svelte:head><title>Refusals · Inner Loom</title></svelte:head>
<main>
  <h1>Refusals</h1>
  <p>
    A call that is refused answers with problem details (RFC 9457): <code>type</code> is an address on this page,
    <code>detail</code> says what is wrong, <code>fix</code> what to do, <code>at</code> where in what was sent. The
    calls themselves are described in <a href="/api/openapi.json">the OpenAPI document</a>.
  </p>
  {#each kinds as { status, title, about } (status)}
    <section id={problemSlug(status)}>
      <h2>{title} <span>{status}</span></h2>
      <p>
        {#each about.split('`') as part, at (at)}{#if at % 2}<code>{part}</code>{:else}{part}{/if}{/each}
      </p>
    </section>
  {/each}
</main>

<style>
  main {
    max-width: 760px;
    padding: 32px;
    margin: 0 auto;
  }
  h1 {
    margin-bottom: 8px;
    font-size: 24px;
  }
  section {
    padding: 10px 0;
    border-bottom: 1px solid var(--line);
  }
  section:target {
    padding-left: 12px;
    border-left: 4px solid var(--woad);
  }
  h2 {
    font-size: 16px;
  }
  h2 span {
    color: var(--ink-faint);
    font-weight: 400;
  }
  a {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
