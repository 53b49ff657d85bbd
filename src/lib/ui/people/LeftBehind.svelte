<script lang="ts">
  import type { LeftBehind } from '$server/structure/privateTables';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { counted } from '../values/words';

  /** Private tables of people who are no longer in the workspace: nobody sees them until somebody takes them over. */
  const { workspace, changes, onchanged }: { workspace: string; changes: number; onchanged: () => void } = $props();
  const { notices } = useFrame();
  let left = $state.raw<readonly LeftBehind[]>([]);
  $effect(() => {
    void changes;
    void call<{ items: LeftBehind[] }>('GET', workspacePath(workspace, '/private-tables')).then((answer) => {
      if (answer.ok) left = answer.value.items;
    });
  });

  async function takeOver({ person, name }: LeftBehind) {
    const answer = await call<LeftBehind>('POST', workspacePath(workspace, `/private-tables/${person}`));
    if (answer.ok) notices.done(`${counted(answer.value.tables, 'table')} of ${name}: only you see them now.`);
    else notices.refused(answer.problem);
    onchanged();
  }
</script>

{#if left.length > 0}
  <h2>Private tables of people who left</h2>
  <table class="listing">
    <thead><tr><th>person</th><th>tables</th><th><span class="sr-only">step</span></th></tr></thead>
    <tbody>
      {#each left as one (one.person)}
        <tr>
          <td><b>{one.name}</b></td>
          <td>{counted(one.tables, 'private table')}, seen by nobody</td>
          <td
            ><Button kind="quiet" onclick={() => void takeOver(one)}
              >Take over<span class="sr-only"> the tables of {one.name}</span></Button
            ></td
          >
        </tr>
      {/each}
    </tbody>
  </table>
{/if}

<style>
  h2 {
    margin: 22px 0 8px;
    font-size: 16px;
  }
</style>
