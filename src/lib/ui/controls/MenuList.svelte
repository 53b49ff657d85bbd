<script lang="ts">
  import type { MenuItem } from './menuItem';

  /** The list of a menu, walked with the arrow keys; focus goes in when it opens (WAI-ARIA menu). */
  const {
    items,
    label,
    at = null,
    onclose,
  }: {
    items: readonly MenuItem[];
    label: string;
    /** Where on the screen it opens, in pixels; below what opened it unless said. */
    at?: { readonly x: number; readonly y: number } | null;
    /** `back`: whether the focus goes back to what opened it. */
    onclose: (back: boolean) => void;
  } = $props();

  const all = (list: HTMLElement) => [...list.querySelectorAll<HTMLElement>('[role=menuitem]')];
  const begin = (list: HTMLElement) => {
    (list.querySelector<HTMLElement>('[aria-current]') ?? all(list)[0])?.focus();
    // At the right edge it opens to the left, and never beyond the window.
    const { left, right, top, width, height } = list.getBoundingClientRect();
    if (!at) {
      const beyond = Math.min(right - (innerWidth - 4), left - 4);
      if (beyond > 0) list.style.left = `${-beyond}px`;
      list.style.maxHeight = `${Math.max(120, innerHeight - top - 8)}px`;
      return;
    }
    list.style.left = `${Math.max(4, Math.min(at.x, innerWidth - width - 4))}px`;
    list.style.top = `${Math.max(4, Math.min(at.y, innerHeight - height - 4))}px`;
  };

  /**
   * Closed first, so that what is done may take the focus somewhere else; the item is held, as closing takes the list
   * away.
   */
  function choose({ run }: MenuItem) {
    onclose(true);
    run?.();
  }

  function walk(event: KeyboardEvent) {
    const found = all(event.currentTarget as HTMLElement);
    const here = found.indexOf(document.activeElement as HTMLElement);
    const to = { ArrowDown: here + 1, ArrowUp: here - 1, Home: 0, End: found.length - 1 }[event.key];
    if (to !== undefined) {
      event.preventDefault();
      found[(to + found.length) % found.length]?.focus();
    } else if (event.key === 'Escape') onclose(true);
    else if (event.key === 'Tab') return onclose(false);
    else if (event.key.length === 1 && event.key !== ' ') {
      const letter = event.key.toLowerCase();
      const next = [...found.slice(here + 1), ...found.slice(0, here + 1)].find(({ textContent }) =>
        textContent?.trim().toLowerCase().startsWith(letter),
      );
      next?.focus();
    }
    event.stopPropagation();
  }
</script>

<div
  {@attach begin}
  class="list"
  class:fixed={at !== null}
  role="menu"
  tabindex="-1"
  aria-label={label}
  onkeydown={walk}
>
  {#each items as item, index (item.label + index)}
    {#if item.section && item.section !== items[index - 1]?.section}<p role="presentation">{item.section}</p>{/if}
    {#if item.href}
      <a
        role="menuitem"
        tabindex="-1"
        href={item.href}
        data-sveltekit-reload={item.href.startsWith('/api/') ? true : undefined}
        aria-current={item.current ? 'true' : undefined}
        onclick={() => onclose(false)}>{item.label}</a
      >
    {:else}
      <button
        role="menuitem"
        tabindex="-1"
        aria-current={item.current ? 'true' : undefined}
        onclick={() => choose(item)}><span>{item.label}</span><kbd>{item.keys ?? ''}</kbd></button
      >
    {/if}
  {/each}
</div>

<style>
  .list {
    position: absolute;
    top: 100%;
    left: 0;
    z-index: 30;
    min-width: 200px;
    max-width: calc(100vw - 8px);
    max-height: 60vh;
    overflow: auto;
    padding: 4px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  .fixed {
    position: fixed;
  }
  p {
    padding: 6px 8px 2px;
    color: var(--ink-faint);
    font-size: 12px;
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
    overflow: hidden;
    text-overflow: ellipsis;
  }
  [aria-current] {
    font-weight: 600;
    box-shadow: inset 3px 0 0 var(--woad);
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
