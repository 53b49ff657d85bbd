<script lang="ts">
  import type { Icon } from '$core/types/icons';
  import { drawings } from '../values/icons';

  /** The icon that somebody chose for a table or a workspace; nothing where none was chosen. */
  const { icon, size = 15 }: { icon: Icon | null | undefined; size?: number } = $props();
  const Drawing = $derived(icon ? drawings[icon] : null);
</script>

{#if Drawing}<Drawing {size} aria-hidden="true" />{/if}
