<script lang="ts">
  import type { Snippet } from 'svelte';

  /** A page that is in no workspace, a step from Home. */
  const { title, purpose, who, children }: { title: string; purpose: string; who: string; children: Snippet } =
    $props();
</script>

<svelte:head><title>{title} · Inner Loom</title></svelte:head>
<main>
  <p class="back"><a href="/">Home</a> <span>{who}</span></p>
  <h1>{title}</h1>
  <p class="soft">{purpose}</p>
  {@render children()}
</main>

<style>
  main {
    max-width: 1164px;
    padding: 20px 32px;
    margin: 0 auto;
  }
  .back {
    display: flex;
    justify-content: space-between;
    color: var(--ink-soft);
  }
  .back a {
    color: var(--woad);
    text-decoration: underline;
  }
  h1 {
    margin-top: 10px;
    font-size: 24px;
  }
  .soft {
    margin-bottom: 16px;
    color: var(--ink-soft);
  }
  @media (max-width: 700px) {
    main {
      padding: 16px;
    }
  }
</style>
