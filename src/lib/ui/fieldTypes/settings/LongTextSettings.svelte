<script lang="ts">
  import { Checkbox } from 'flowbite-svelte';
  import type { SettingsProps } from '../kind';

  let { draft = $bindable() }: SettingsProps = $props();
</script>

<div class="mt-3"><Checkbox bind:checked={draft.markdown}>is written in Markdown</Checkbox></div>
