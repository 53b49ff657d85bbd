<script lang="ts">
  import type { Work } from '$server/database/progress';
  import Button from '../controls/Button.svelte';
  import WorkGoing from '../structure/WorkGoing.svelte';
  import { counted } from '../values/words';

  /**
   * Asked before an edit of which very much is calculated anew: how many records of which tables; then how far it is.
   */
  const {
    what,
    reach,
    work,
    busy,
    ongo,
    onleave,
    onstop,
  }: {
    what: string;
    reach: readonly { table: string; label: string; count: number }[];
    work: Work | null;
    busy: boolean;
    ongo: () => void;
    onleave: () => void;
    onstop: () => void;
  } = $props();
  const total = $derived(reach.reduce((sum, { count }) => sum + count, 0));
</script>

<div class="reach" role="alert">
  <p>
    <b>{what}</b> Up to {counted(total, 'record')} would be calculated anew: {reach
      .map(({ label, count }) => `${count.toLocaleString()} of ${label}`)
      .join(', ')}. Others wait until it is done.
  </p>
  {#if work}<WorkGoing {work} {onstop} />
  {:else if busy}<p role="status">Writing and calculating …</p>
  {:else}
    <Button kind="main" onclick={ongo}>Change it and calculate</Button><Button onclick={onleave}
      >Leave it as it was</Button
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
