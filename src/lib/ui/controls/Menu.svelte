<script lang="ts" module>
  export interface MenuItem {
    readonly label: string;
    readonly keys?: string;
    readonly href?: string;
    readonly run?: () => void;
  }
</script>

<script lang="ts">
  import type { Snippet } from 'svelte';

  /** The one menu of the interface: a button that opens a list, walked with the arrow keys (WAI-ARIA menu button). */
  const { items, label, children }: { items: readonly MenuItem[]; label: string; children: Snippet } = $props();
  let open = $state(false);
  let list = $state<HTMLElement | null>(null);
  let opener = $state<HTMLButtonElement | null>(null);

  function close(back = true) {
    open = false;
    if (back) opener?.focus();
  }

  function walk(event: KeyboardEvent) {
    const all = [...(list?.querySelectorAll<HTMLElement>('[role=menuitem]') ?? [])];
    const at = all.indexOf(document.activeElement as HTMLElement);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: all.length - 1 }[event.key];
    if (to !== undefined) {
      event.preventDefault();
      all[(to + all.length) % all.length]?.focus();
    } else if (event.key === 'Escape') {
      event.stopPropagation();
      close();
    } else if (event.key === 'Tab') close(false);
  }

  $effect(() => {
    if (open) list?.querySelector<HTMLElement>('[role=menuitem]')?.focus();
  });
</script>

<svelte:window onclick={(event) => open && !(event.target as Element).closest('.menu') && close(false)} />

<div class="menu">
  <button bind:this={opener} class="opener" aria-haspopup="menu" aria-expanded={open} aria-label={label} onclick={() => (open = !open)}
    >{@render children()}</button
  >
  {#if open}
    <div bind:this={list} class="list" role="menu" tabindex="-1" aria-label={label} onkeydown={walk}>
      {#each items as item (item.label)}
        {#if item.href}
          <a role="menuitem" tabindex="-1" href={item.href} onclick={() => close(false)}>{item.label}</a>
        {:else}
          <button role="menuitem" tabindex="-1" onclick={() => (close(), item.run?.())}>{item.label}<kbd>{item.keys ?? ''}</kbd></button>
        {/if}
      {/each}
    </div>
  {/if}
</div>

<style>
  .menu {
    position: relative;
    display: inline-block;
  }
  .opener {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    padding: 3px 8px;
    border-radius: var(--radius);
  }
  .opener:hover {
    background: var(--sunken);
  }
  .list {
    position: absolute;
    top: 100%;
    left: 0;
    z-index: 30;
    min-width: 200px;
    max-height: 60vh;
    overflow: auto;
    padding: 4px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  [role='menuitem'] {
    display: flex;
    justify-content: space-between;
    gap: 20px;
    width: 100%;
    padding: 5px 8px;
    color: var(--ink);
    text-align: left;
    border-radius: 3px;
    white-space: nowrap;
  }
  [role='menuitem']:hover,
  [role='menuitem']:focus {
    background: var(--woad-tint);
    outline: none;
  }
  kbd {
    color: var(--ink-faint);
    font: 11px var(--mono);
  }
</style>
