<script lang="ts">
  import { Input, Label, Select } from 'flowbite-svelte';
  import { currencies } from '$core/fieldTypes/money';
  import type { SettingsProps } from '../kind';

  let { draft = $bindable() }: SettingsProps = $props();
</script>

<div class="mt-3 grid grid-cols-2 gap-2.5">
  <Label
    >Currency<Select
      class="mt-1 py-1.5"
      bind:value={draft.currency}
      placeholder=""
      items={[
        ...Object.keys(currencies).map((code) => ({ value: code, name: code })),
        { value: '', name: 'each record chooses' },
      ]}
    /></Label
  >
  <Label
    >Decimals<Input
      class="mt-1 py-1.5"
      type="number"
      min="0"
      max="6"
      bind:value={draft.digits}
      placeholder="2"
    /></Label
  >
</div>
