<script lang="ts">
  import { Input, Label } from 'flowbite-svelte';
  import type { SettingsProps } from '../kind';

  let { draft = $bindable() }: SettingsProps = $props();
</script>

<Label class="mt-3"
  >Longest, in characters<Input
    class="mt-1 py-1.5"
    type="number"
    min="1"
    bind:value={draft.maxLength}
    placeholder="100,000"
  /></Label
>
