<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { MenuItem } from './menuItem';
  import MenuList from './MenuList.svelte';

  /** The one menu of the interface: a button that opens a list (WAI-ARIA menu button). */
  const {
    items,
    label,
    onopen,
    children,
  }: {
    items: readonly MenuItem[];
    label: string;
    /** Before the list is shown, for what it goes by. */
    onopen?: () => void;
    children: Snippet;
  } = $props();
  let open = $state(false);
  let opener = $state<HTMLButtonElement | null>(null);

  function close(back: boolean) {
    open = false;
    if (back) opener?.focus();
  }
</script>

<svelte:window onclick={(event) => open && !(event.target as Element).closest('.menu') && close(false)} />

<div class="menu">
  <button
    bind:this={opener}
    class="opener"
    aria-haspopup="menu"
    aria-expanded={open}
    aria-label={label}
    onclick={() => {
      if (!open) onopen?.();
      open = !open;
    }}><span class="text">{@render children()}</span></button
  >
  {#if open}<MenuList {items} {label} onclose={close} />{/if}
</div>

<style>
  .menu {
    position: relative;
    display: inline-block;
    flex: none;
    max-width: 100%;
  }
  .text {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .opener {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    max-width: 100%;
    padding: 3px 8px;
    white-space: nowrap;
    border-radius: var(--radius);
  }
  .opener:hover {
    background: var(--sunken);
  }
</style>
