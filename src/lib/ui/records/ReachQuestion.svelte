<script lang="ts">
  import Button from '../controls/Button.svelte';
  import WorkGoing from '../structure/WorkGoing.svelte';
  import { counted } from '../values/words';
  import type { RecordWork } from './recordWork.svelte';

  /**
   * Asked before an edit of which very much is calculated anew, or sent: how much, and of what; then how far it is.
   */
  const { work }: { work: RecordWork } = $props();
</script>

{#if work.reach}
  {@const { what, tables, sends } = work.reach}
  {@const total = tables.reduce((sum, { count }) => sum + count, 0)}
  <div class="reach" role="alert">
    <p>
      <b>{what}</b>
      {#if sends}
        {sends.routines.map((one) => `“${one}”`).join(', ')} would write to {counted(sends.count, 'recipient')}. What is
        sent cannot be undone.
      {:else}
        Up to {counted(total, 'record')} would be calculated anew: {tables
          .map(({ label, count }) => `${count.toLocaleString()} of ${label}`)
          .join(', ')}. Others wait until it is done.
      {/if}
    </p>
    {#if work.watched.current}<WorkGoing work={work.watched.current} onstop={() => void work.watched.stop()} />
    {:else if work.going}<p role="status">Writing and calculating …</p>
    {:else}
      <Button kind="main" onclick={() => void work.go()}
        >{sends ? 'Change it and send' : 'Change it and calculate'}</Button
      >
      <Button onclick={() => (work.reach = null)}>Leave it as it was</Button>
    {/if}
  </div>
{/if}

<style>
  .reach {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px 14px;
    padding: 8px 16px;
    background: var(--sunken);
    border-bottom: 1px solid var(--weld);
    font-size: 13px;
  }
  p {
    flex: 1 1 320px;
  }
</style>
