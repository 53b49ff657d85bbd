<script lang="ts">
  import Play from '@lucide/svelte/icons/play';
  import type { Model, Table } from '$core/types/model';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { RunByHand } from './buttons.svelte';
  import RunAsked from './RunAsked.svelte';

  /** The buttons that routines give to a record. */
  const { workspace, model, table, record }: { workspace: string; model: Model; table: Table; record: number } =
    $props();
  const frame = useFrame();
  const runs = new RunByHand(() => ({ workspace, model, table, version: frame.workspace.version }), frame.notices);
</script>

{#if runs.all.length > 0}
  <p role="group" aria-label="Routines by hand">
    {#each runs.all as button (button.id)}
      <Button onclick={() => runs.begin(button, [record])} disabled={runs.busy}
        ><Play size={13} />{button.label}{button.inputs.length > 0 ? ' …' : ''}</Button
      >
    {/each}
  </p>
  <RunAsked {runs} {workspace} {model} />
{/if}

<style>
  p {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-bottom: 8px;
  }
</style>
