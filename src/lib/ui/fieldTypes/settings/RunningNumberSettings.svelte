<script lang="ts">
  import { Input, Label } from 'flowbite-svelte';
  import type { SettingsProps } from '../kind';

  let { draft = $bindable() }: SettingsProps = $props();
</script>

<Label class="mt-3"
  >Pattern<Input class="mt-1 py-1.5 font-mono" bind:value={draft.pattern} placeholder={'H-{0000}'} required /></Label
>
<p class="hint">
  Zeros in braces are the number, {'{year}'} the year. Numbers are given in order; one that is not used leaves a gap.
</p>
