<script lang="ts">
  import type { Model } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { uiOf } from '../fieldTypes/registry';
  import { Later } from '../fieldTypes/editors/later';
  import CellValue from './CellValue.svelte';

  /**
   * What was typed or chosen for a field and is not saved yet: texts stand as they were typed, as the server has not
   * read them.
   */
  const { model, field, value }: { model: Model; field: Field; value: unknown } = $props();
  const text = $derived(value instanceof Later ? value.text : null);
  const chosen = $derived(typeof value === 'object' || typeof value === 'boolean' || uiOf(field.type).chosen === true);
</script>

{#if text !== null}{text}{:else if chosen}<CellValue {model} {field} value={value ?? null} />{:else}{String(
    value ?? '',
  )}{/if}
