<script lang="ts">
  import { Input, Label } from 'flowbite-svelte';
  import type { SettingsProps } from '../kind';

  let { draft = $bindable() }: SettingsProps = $props();
</script>

<Label class="mt-3">Steps<Input class="mt-1 py-1.5" type="number" min="2" max="10" bind:value={draft.most} /></Label>
