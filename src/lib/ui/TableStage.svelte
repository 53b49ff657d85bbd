<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { Table } from '$core/types/model';
  import PrivateMark from './controls/PrivateMark.svelte';
  import Sides from './controls/Sides.svelte';
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
    side: 'records' | 'forms' | 'documents' | 'structure';
    /** What can be done here, in the head. */
    head?: Snippet;
    children: Snippet;
  } = $props();
  const { workspace } = useFrame();
  let width = $state(1000);
  const root = $derived(`/w/${workspace.key}/t/${table.key}`);
</script>

<div class="stage" class:narrow={width < 880} bind:clientWidth={width} style:--selvedge="var(--dye-{table.dye})">
  <header>
    {#if table.icon}<span class="sign"><Sign icon={table.icon} size={18} /></span>{/if}
    <h1>{table.label}</h1>
    <PrivateMark {table} />
    <span class="purpose">{table.description}</span>
    {@render head?.()}
    <Sides
      label="Sides of the table"
      sides={[
        { label: 'Records', href: root, shown: side === 'records' },
        // Forms are for those who may write.
        ...(workspace.may.tables[table.id]?.write
          ? [{ label: 'Forms', href: `${root}/forms`, shown: side === 'forms' }]
          : []),
        { label: 'Documents', href: `${root}/documents`, shown: side === 'documents' },
        { label: 'Structure', href: `${root}/structure`, shown: side === 'structure' },
      ]}
    />
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
  /* Beside an inspector, what can be done goes into a second line rather than out of sight. */
  .narrow header {
    flex-wrap: wrap;
    gap: 4px 10px;
  }
  .narrow .purpose {
    display: none;
  }
  .narrow header > :global(nav) {
    margin-left: auto;
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
      flex: 1 1 120px;
      order: -2;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    header > :global(nav) {
      order: -1;
    }
    .sign {
      order: -3;
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
