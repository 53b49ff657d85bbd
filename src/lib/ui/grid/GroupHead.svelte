<script lang="ts">
  import type { Model } from '$core/types/model';
  import CellValue from '../values/CellValue.svelte';
  import { alignsRight } from '../values/show';
  import { counted } from '../values/words';
  import type { GridColumn } from './gridGeometry';
  import { useGroups } from './groupContext';
  import { stretchWords } from '$core/query/stretchWords';
  import TotalValue from '../view/TotalValue.svelte';
  import type { AskedTotal, ShownGroup } from '../view/totals.svelte';

  /** The head of a group: what its records have in common, how many there are, and their totals under their columns. */
  const {
    model,
    group,
    line,
    columns,
    still,
    totals,
    folded,
    on,
    onfold,
    ongo,
  }: {
    model: Model;
    group: ShownGroup;
    line: number;
    columns: readonly GridColumn[];
    still: readonly GridColumn[];
    totals: readonly AskedTotal[];
    folded: boolean;
    on: boolean;
    onfold: (all: boolean) => void;
    ongo: () => void;
  } = $props();
  const groups = useGroups();
  const part = $derived(groups.parts[group.level - 1]);
  const value = $derived(group.values.at(-1));
  const covered = $derived(still.reduce((sum, { width }) => sum + width, 0));
  // What is under the words of the head would cover them.
  const behind = $derived(columns.filter(({ frozen, left }) => !frozen && left >= Math.max(covered, 260)));
</script>

<!-- svelte-ignore a11y_click_events_have_key_events -->
<div
  class="group"
  role="gridcell"
  data-cell="{line}.0"
  tabindex={on ? 0 : -1}
  aria-colindex={1}
  aria-colspan={columns.length}
  aria-expanded={!folded}
  class:inner={group.level > 1}
  style:--level={group.level - 1}
  title="Enter folds it, with Shift all of its level"
  onclick={(event) => (ongo(), onfold(event.shiftKey))}
>
  <span class="words">
    <span class="sign" aria-hidden="true">{folded ? '▸' : '▾'}</span>
    {#if part}<small>{part.label}</small>{/if}
    <b
      >{#if value === null || value === undefined}blank{:else if part?.by && part.by !== 'each'}{stretchWords(
          String(value),
          part.by,
        )}{:else if part?.by === 'each'}{typeof value === 'object' && 'title' in value
          ? value.title
          : String(value)}{:else if part}<CellValue {model} field={part.field} {value} />{/if}</b
    >
    <span class="count">{counted(group.count, 'record')}</span>
  </span>
  {#each behind as shown (shown.field.id)}
    {@const at = totals.findIndex(({ field }) => field.id === shown.field.id)}
    {#if at >= 0}
      <span
        class="total"
        class:right={alignsRight(model, shown.field)}
        style:left="{shown.left}px"
        style:width="{shown.width}px"
        ><TotalValue {model} asked={totals[at] as AskedTotal} value={group.totals[at]} /></span
      >
    {/if}
  {/each}
</div>

<style>
  .group {
    position: relative;
    width: 100%;
    height: 100%;
    line-height: calc(var(--height) - 1px);
    background: var(--sunken);
    border-bottom: 1px solid var(--line);
    outline-offset: -2px;
    cursor: pointer;
  }
  .inner,
  .inner .words {
    background: var(--ground);
  }
  .group:focus {
    outline: 2px solid var(--woad);
  }
  .words {
    position: sticky;
    left: 0;
    z-index: 1;
    display: inline-flex;
    gap: 8px;
    align-items: baseline;
    padding: 0 10px 0 calc(10px + var(--level) * 18px);
    background: var(--sunken);
    white-space: nowrap;
  }
  small,
  .sign,
  .count {
    color: var(--ink-soft);
    font-size: 12px;
  }
  .total {
    position: absolute;
    top: 0;
    padding: 0 10px;
    overflow: hidden;
  }
  .right {
    text-align: right;
  }
</style>
