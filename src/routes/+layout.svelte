<script lang="ts">
  import '../app.css';
  import { onMount, type Snippet } from 'svelte';
  import { doEarly } from '$ui/frame/early';

  const { children }: { children: Snippet } = $props();

  onMount(() => void doEarly());
</script>

{@render children()}
