<script lang="ts">
  import { Input, Label } from 'flowbite-svelte';
  import type { SettingsProps } from '../kind';

  /** Decimals, and the unit of a plain number. */
  let { draft = $bindable() }: SettingsProps = $props();
</script>

<div class="mt-3 grid grid-cols-2 gap-2.5">
  <Label
    >Decimals<Input
      class="mt-1 py-1.5"
      type="number"
      min="0"
      max="30"
      bind:value={draft.digits}
      placeholder="as entered"
    /></Label
  >
  {#if draft.type === 'number'}<Label>Unit<Input class="mt-1 py-1.5" bind:value={draft.unit} placeholder="kg" /></Label
    >{/if}
</div>
