<script lang="ts">
  import type { Option } from '$core/types/field';
  import OptionLabel from '../../values/OptionLabel.svelte';
  import type { CellProps } from '../kind';

  const { type, value, text }: CellProps = $props();
  const chosen = $derived.by((): { option: Option; place: number }[] => {
    if (type.kind !== 'option' && type.kind !== 'options') return [];
    const labels = Array.isArray(value) ? value : [value];
    return type.options
      .map((option, place) => ({ option, place }))
      .filter(({ option }) => labels.includes(option.label));
  });
</script>

{#if chosen.length > 0}
  <span class="several"
    >{#each chosen as { option, place } (option.id)}<OptionLabel {option} {place} />{/each}</span
  >
{:else}
  {text}
{/if}

<style>
  .several {
    display: inline-flex;
    gap: 10px;
    align-items: center;
    vertical-align: middle;
  }
</style>
