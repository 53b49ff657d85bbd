<script lang="ts">
  import { untrack } from 'svelte';
  import type { Table } from '$core/types/model';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { renewed } from '../renewed';
  import { counted } from '../values/words';

  /** Sample records of a table: made up by its fields, and taken away in one step. */
  const { workspace, table }: { workspace: string; table: Pick<Table, 'key' | 'label'> } = $props();
  const { notices } = useFrame();
  interface Standing {
    readonly table: string;
    readonly label: string;
    readonly count: number;
  }
  let count = $state(50);
  let busy = $state(false);
  let standing = $state.raw<readonly Standing[]>([]);
  const here = $derived(standing.find((one) => one.table === table.key)?.count ?? 0);
  const all = $derived(standing.reduce((sum, one) => sum + one.count, 0));

  async function read() {
    const answer = await call<{ items: Standing[] }>('GET', workspacePath(workspace, '/samples'));
    if (answer.ok) standing = answer.value.items;
    else notices.refused(answer.problem);
  }
  $effect(() => {
    void workspace;
    untrack(() => void read());
  });

  async function make(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    const answer = await call<{ made: number }>('POST', workspacePath(workspace, `/tables/${table.key}/samples`), {
      count,
      seed: Math.floor(Math.random() * 1e9),
    });
    busy = false;
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`${counted(answer.value.made, 'sample record')} of ${table.label} made.`);
    await Promise.all([renewed('loom:model'), read()]);
  }
  async function remove(tables?: readonly string[]) {
    busy = true;
    const answer = await call<{ removed: number }>('DELETE', workspacePath(workspace, '/samples'), {
      ...(tables ? { tables } : {}),
    });
    busy = false;
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done(`${counted(answer.value.removed, 'sample record')} deleted.`);
    await Promise.all([renewed('loom:model'), read()]);
  }
</script>

<p>
  Records to try the table with: made up by the kinds and labels of its fields, like those that stand, with links filled
  and rules kept. They are marked as samples, and deleted in one step.
</p>
<form onsubmit={(event) => void make(event)}>
  <label
    >How many <input
      class="in-line"
      type="number"
      min="1"
      max="1000"
      required
      bind:value={count}
      aria-label="How many"
    /></label
  >
  <Button kind="main" type="submit" disabled={busy}>{busy ? 'Working …' : 'Make them'}</Button>
</form>
{#if all > 0}
  <h3>Samples that stand</h3>
  <p>
    {counted(here, 'sample')} in {table.label}{all > here ? `, ${counted(all, 'sample')} in all tables` : ''}.
  </p>
  <div class="steps">
    {#if here > 0}<Button kind="danger" disabled={busy} onclick={() => void remove([table.key])}
        >Delete those of {table.label}</Button
      >{/if}
    {#if all > here}<Button kind="danger" disabled={busy} onclick={() => void remove()}>Delete all samples</Button>{/if}
  </div>
{/if}

<style>
  form,
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
    margin: 10px 0 16px;
  }
  input {
    width: 90px;
  }
  h3 {
    font-size: 14px;
    font-weight: 600;
  }
</style>
