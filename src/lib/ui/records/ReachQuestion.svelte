<script lang="ts">
  import type { Work } from '$server/database/progress';
  import Button from '../controls/Button.svelte';
  import WorkGoing from '../structure/WorkGoing.svelte';
  import type { Reach } from './recordWork.svelte';
  import { counted } from '../values/words';

  /**
   * Asked before an edit of which very much is calculated anew, or sent: how much, and of what; then how far it is.
   */
  const {
    reach,
    work,
    busy,
    ongo,
    onleave,
    onstop,
  }: {
    reach: Pick<Reach, 'what' | 'tables' | 'sends'>;
    work: Work | null;
    busy: boolean;
    ongo: () => void;
    onleave: () => void;
    onstop: () => void;
  } = $props();
  const { what, tables, sends } = $derived(reach);
  const total = $derived(tables.reduce((sum, { count }) => sum + count, 0));
</script>

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
  {#if work}<WorkGoing {work} {onstop} />
  {:else if busy}<p role="status">Writing and calculating …</p>
  {:else}
    <Button kind="main" onclick={ongo}>{sends ? 'Change it and send' : 'Change it and calculate'}</Button><Button
      onclick={onleave}>Leave it as it was</Button
    >
  {/if}
</div>

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
