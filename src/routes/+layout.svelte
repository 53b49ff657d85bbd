<script lang="ts">
  import '../app.css';
  import { onMount, type Snippet } from 'svelte';
  import { doEarly } from '$ui/frame/early';
  import { waiting } from '$ui/frame/patience.svelte';

  const { children }: { children: Snippet } = $props();

  onMount(() => void doEarly());
</script>

{@render children()}

{#if waiting.pages > 0}
  <p role="status">The server does not answer just now. This page stays as it is, and goes on once it does.</p>
{/if}

<style>
  p {
    position: fixed;
    inset: auto 0 0;
    z-index: 50;
    margin: 0;
    padding: 6px 14px;
    font-size: 13px;
    background: var(--weld-tint);
    border-top: 1px solid var(--weld);
  }
</style>
