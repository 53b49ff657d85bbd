<script lang="ts">
  import type { Field, Model } from '$core/model/model';
  import CellValue from './CellValue.svelte';

  /** What was typed or chosen for a field and is not saved yet: texts stand as they were typed, as the server has not read them. */
  const { model, field, value }: { model: Model; field: Field; value: unknown } = $props();
  const chosen = $derived(typeof value === 'object' || typeof value === 'boolean' || ['option', 'options', 'rating'].includes(field.type.kind));
</script>

{#if chosen}<CellValue {model} {field} value={value ?? null} />{:else}{String(value ?? '')}{/if}
