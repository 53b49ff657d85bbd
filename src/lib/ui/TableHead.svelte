<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { Table } from '$core/model/model';

  /** The head of a table's sides; the selvedge in its dye runs along the stage. */
  const {
    workspace,
    table,
    side,
    mayFill = false,
    children,
  }: {
    workspace: string;
    table: Table;
    side: 'records' | 'forms' | 'structure';
    /** Forms are for those who may write. */
    mayFill?: boolean;
    children?: Snippet;
  } = $props();
  const root = $derived(`/w/${workspace}/t/${table.key}`);
</script>

<header>
  <h1>{table.label}</h1>
  <span class="purpose">{table.description}</span>
  {@render children?.()}
  <nav aria-label="Sides of the table">
    <a href={root} aria-current={side === 'records' ? 'page' : undefined}>Records</a>
    {#if mayFill}<a href="{root}/forms" aria-current={side === 'forms' ? 'page' : undefined}>Forms</a>{/if}
    <a href="{root}/structure" aria-current={side === 'structure' ? 'page' : undefined}>Structure</a>
  </nav>
</header>

<style>
  header {
    display: flex;
    gap: 12px;
    align-items: center;
    min-height: 44px;
    padding: 4px 14px;
  }
  h1 {
    font-size: 18px;
    white-space: nowrap;
  }
  .purpose {
    flex: 1;
    overflow: hidden;
    color: var(--ink-soft);
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  nav {
    display: flex;
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  nav a {
    padding: 2px 12px;
    color: var(--ink-soft);
  }
  nav a[aria-current] {
    color: var(--ink);
    font-weight: 600;
    background: var(--woad-tint);
  }
  @media (max-width: 700px) {
    .purpose {
      display: none;
    }
  }
  /* A word of it would say nothing. */
  .purpose {
    min-width: 90px;
  }
  @media print {
    header {
      display: none;
    }
  }
</style>
