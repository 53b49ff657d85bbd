<script lang="ts">
  import StagePage from '$ui/frame/StagePage.svelte';
  import Analysts from '$ui/programs/Analysts.svelte';
  import Webhooks from '$ui/programs/Webhooks.svelte';

  const { data } = $props();
</script>

<svelte:head><title>Programs · {data.workspace.label} · Inner Loom</title></svelte:head>
<StagePage title="Programs" purpose="What other programs are told of this workspace, and how they read it.">
  {#if data.workspace.may.routines}<Webhooks workspace={data.workspace.key} model={data.model} />{/if}
  {#if data.workspace.may.people}<Analysts workspace={data.workspace.key} />{/if}
  {#if !data.workspace.may.routines && !data.workspace.may.people}
    <p>Your role makes no webhooks here and gives nobody a way into the database.</p>
  {/if}
  <h2>By the API</h2>
  <p class="about">
    Everything that a page does, a program can do with a <a href="/tokens">token</a>; the calls are described at
    <a href="/api/openapi.json" data-sveltekit-reload>/api/openapi.json</a> (OpenAPI 3.1).
  </p>
</StagePage>

<style>
  h2 {
    margin-top: 26px;
    font-size: 17px;
  }
  .about {
    color: var(--ink-soft);
  }
  .about a {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
