<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import type { Notices } from './notices.svelte';

  const { notices }: { notices: Notices } = $props();
  /**
   * A message is never in the way of the keys one types with: it is closed by Escape, and what it offers has keys of
   * its own.
   */
  function key(event: KeyboardEvent) {
    if (event.key === 'Escape' && !event.defaultPrevented && notices.closeLast()) event.preventDefault();
  }
</script>

<svelte:window onkeydown={key} />

<div class="notices" role="status" aria-live="polite">
  {#each notices.list as notice (notice.id)}
    <div class="notice {notice.kind}">
      <span><strong>{notice.message}</strong> {notice.fix ?? ''}</span>
      {#if notice.step}
        {@const step = notice.step}
        <button
          class="step"
          tabindex="-1"
          onpointerdown={(event) => event.preventDefault()}
          onclick={() => (step.run(), notices.close(notice.id))}>{step.label}</button
        >
      {/if}
      <button
        aria-label="Close this message"
        title="Escape"
        tabindex="-1"
        onpointerdown={(event) => event.preventDefault()}
        onclick={() => notices.close(notice.id)}><X size={14} /></button
      >
    </div>
  {/each}
</div>

<style>
  .notices {
    position: fixed;
    left: 50%;
    bottom: 44px;
    transform: translateX(-50%);
    display: grid;
    gap: 6px;
    z-index: 40;
    max-width: min(640px, 92vw);
  }
  .notice {
    display: flex;
    gap: 14px;
    align-items: baseline;
    padding: 8px 12px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-left: 4px solid var(--lichen);
    border-radius: var(--radius);
    box-shadow: 0 4px 16px rgb(0 0 0 / 0.12);
  }
  .refused {
    border-left-color: var(--madder);
  }
  strong {
    font-weight: 600;
  }
  .step {
    color: var(--woad);
    font-weight: 600;
    text-decoration: underline;
    white-space: nowrap;
  }
</style>
