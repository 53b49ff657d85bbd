<script lang="ts">
  import { findField } from '$core/model/model';
  import type { Model } from '$core/types/model';

  /** A field by name, and the way to it in Structure; one of another workspace is named only. */
  const {
    workspace,
    model,
    id,
    words = '',
  }: { workspace: string; model: Model; id: string; words?: string } = $props();
  const found = $derived(findField(model, id));
  const shown = $derived(words || (found ? `${found.table.label}.${found.field.label}` : 'a field'));
  const home = $derived(found?.table.home ?? workspace);
</script>

{#if found && !found.table.pairs}<a href="/w/{home}/t/{found.table.key}/structure?field={found.field.key}">{shown}</a
  >{:else}{shown}{/if}

<style>
  a {
    color: var(--woad);
  }
</style>
