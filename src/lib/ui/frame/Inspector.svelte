<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import type { Dye } from '$core/types/field';
  import type { Snippet } from 'svelte';

  /** The one place on the right that says what is selected, and what can be done with it. */
  const {
    title,
    kind,
    dye = null,
    onclose,
    children,
  }: { title: string; kind: string; dye?: Dye | null; onclose: () => void; children: Snippet } = $props();
</script>

<aside
  class="inspector"
  aria-label="{kind} {title}"
  style:--selvedge={dye ? `var(--dye-${dye})` : 'var(--line-strong)'}
>
  <header>
    <div>
      <p>{kind}</p>
      <h2>{title}</h2>
    </div>
    <button aria-label="Fold the inspector away" title="Esc" onclick={onclose}><X size={16} /></button>
  </header>
  <div class="content">{@render children()}</div>
</aside>

<style>
  .inspector {
    display: flex;
    flex-direction: column;
    width: 380px;
    min-width: 0;
    background: var(--raised);
    border-left: 1px solid var(--line);
    border-top: 3px solid var(--selvedge);
  }
  header {
    display: flex;
    justify-content: space-between;
    align-items: flex-start;
    padding: 10px 16px 8px;
    border-bottom: 1px solid var(--line);
  }
  p {
    color: var(--ink-faint);
    font-size: 12px;
  }
  h2 {
    font-size: 17px;
    line-height: 1.25;
    overflow-wrap: anywhere;
  }
  .content {
    flex: 1;
    overflow: auto;
    padding: 12px 16px 24px;
  }
  @media (max-width: 800px) {
    .inspector {
      position: fixed;
      inset: 44px 0 0 0;
      width: auto;
      z-index: 20;
    }
  }
</style>
