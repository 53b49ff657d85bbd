<script lang="ts">
  import type { Snippet } from 'svelte';

  /** A stage with a heading and a line that says what belongs here. */
  const { title, purpose, children }: { title: string; purpose: string; children: Snippet } = $props();
</script>

<section>
  <h1>{title}</h1>
  <p>{purpose}</p>
  {@render children()}
</section>

<style>
  section {
    flex: 1;
    padding: 26px 32px;
    overflow: auto;
  }
  h1 {
    font-size: 24px;
  }
  p {
    margin-bottom: 18px;
    color: var(--ink-soft);
  }
  @media (max-width: 700px) {
    section {
      padding: 16px;
    }
  }
</style>
