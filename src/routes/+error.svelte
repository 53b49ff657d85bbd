<script lang="ts">
  import { page } from '$app/state';
</script>

<svelte:head><title>{page.status} · Inner Loom</title></svelte:head>
<main>
  <p class="status">{page.status}</p>
  <h1>{page.error?.message ?? 'Something went wrong.'}</h1>
  <p>{page.error?.fix ?? ''}</p>
  <p><a href="/">Go to Home</a></p>
</main>

<style>
  main {
    max-width: 560px;
    margin: 18vh auto;
    padding: 0 20px;
  }
  .status {
    color: var(--ink-faint);
    font: 13px var(--mono);
  }
  h1 {
    margin-bottom: 8px;
    font-size: 22px;
  }
</style>
