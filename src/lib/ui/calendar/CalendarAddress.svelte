<script lang="ts">
  import type { Table } from '$core/types/model';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import ShownOnce from '../controls/ShownOnce.svelte';
  import { useFrame } from '../frame/context';

  /** Makes a secret address at which a calendar program reads a saved view. */
  const { workspace, table, view }: { workspace: string; table: Table; view: string } = $props();
  const { notices } = useFrame();
  let url = $state('');

  async function make() {
    const path = workspacePath(workspace, `/tables/${table.key}/views/${view}/calendar`);
    const answer = await call<{ url: string }>('POST', path, {});
    if (answer.ok) url = answer.value.url;
    else notices.refused(answer.problem);
  }
</script>

<Button kind="quiet" title="An address for your calendar program" onclick={() => void make()}>Subscribe</Button>
{#if url}
  <div class="over">
    <ShownOnce
      words="Your calendar program reads this view at this address, as you see it. Whoever has the address reads it, too. It is shown only now."
      text={url}
      done={() => (url = '')}
    />
  </div>
{/if}

<style>
  .over {
    position: absolute;
    top: 44px;
    right: 12px;
    left: 12px;
    z-index: 5;
  }
</style>
