<script lang="ts">
  import type { Model, Table } from '$core/types/model';
  import Menu from '../controls/Menu.svelte';
  import { useFrame } from '../frame/context';
  import { RunByHand } from './buttons.svelte';
  import RunAsked from './RunAsked.svelte';

  /** The routines that can be run by hand for the records that are selected. */
  const {
    workspace,
    model,
    table,
    chosen,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    /** The records that are selected, when the menu is opened. */
    chosen: () => readonly number[];
  } = $props();
  const frame = useFrame();
  const runs = new RunByHand(() => ({ workspace, model, table, version: frame.workspace.version }), frame.notices);
  let records = $state.raw<readonly number[]>([]);
</script>

{#if runs.all.length > 0}
  <Menu
    label="Run for the selected records"
    onopen={() => (records = chosen())}
    items={runs.all.map((button) => ({
      label: `${button.label}${button.inputs.length > 0 ? ' …' : ''}`,
      run: () => runs.begin(button, records),
    }))}>Run ▾</Menu
  >
  <RunAsked {runs} {workspace} {model} />
{/if}
