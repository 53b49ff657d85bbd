<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { Table } from '$core/types/model';
  import PrivateMark from './controls/PrivateMark.svelte';
  import Sign from './controls/Sign.svelte';
  import { useFrame } from './frame/context';

  /** The stage of a table: its head with its sides, its selvedge in its dye along the edge, and what stands on it. */
  const {
    table,
    side,
    head,
    children,
  }: {
    table: Table;
    side: 'records' | 'forms' | 'structure';
    /** What can be done here, in the head. */
    head?: Snippet;
    children: Snippet;
  } = $props();
  const { workspace } = useFrame();
  const root = $derived(`/w/${workspace.key}/t/${table.key}`);
</script>

<div class="stage" style:--selvedge="var(--dye-{table.dye})">
  <header>
    {#if table.icon}<span class="sign"><Sign icon={table.icon} size={18} /></span>{/if}
    <h1>{table.label}</h1>
    <PrivateMark {table} />
    <span class="purpose">{table.description}</span>
    {@render head?.()}
    <nav aria-label="Sides of the table">
      <a href={root} aria-current={side === 'records' ? 'page' : undefined}>Records</a>
      <!-- Forms are for those who may write. -->
      {#if workspace.may.tables[table.id]?.write}<a
          href="{root}/forms"
          aria-current={side === 'forms' ? 'page' : undefined}>Forms</a
        >{/if}
      <a href="{root}/structure" aria-current={side === 'structure' ? 'page' : undefined}>Structure</a>
    </nav>
  </header>
  {@render children()}
</div>

<style>
  .sign {
    align-self: center;
    color: var(--selvedge);
  }
  .stage {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    border-left: 5px solid var(--selvedge);
  }
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
    min-width: 0;
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
    /* What can be done goes into a line of its own below the name and the sides of the table. */
    header {
      flex-wrap: wrap;
      gap: 4px 10px;
    }
    h1 {
      flex: 1;
      order: -2;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    nav {
      order: -1;
    }
    nav a {
      padding: 2px 8px;
    }
  }
  @media print {
    .stage {
      display: block;
      border-left: 0;
    }
    header {
      display: none;
    }
  }
</style>
