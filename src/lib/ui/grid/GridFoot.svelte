<script lang="ts">
  import type { Model } from '$core/types/model';
  import { alignsRight } from '../values/show';
  import type { GridColumn } from './gridGeometry';
  import TotalValue from '../view/TotalValue.svelte';
  import type { ShownTotals } from '../view/totals.svelte';

  /** The totals of all records, each under its column. */
  const {
    model,
    totals,
    still,
    beside,
    first,
    rowIndex,
  }: {
    model: Model;
    totals: ShownTotals;
    /** The frozen columns, and those in sight beside them, of which the first is the `first`-th of all. */
    still: readonly GridColumn[];
    beside: readonly GridColumn[];
    first: number;
    rowIndex: number;
  } = $props();
</script>

{#snippet total(shown: GridColumn, index: number)}
  {@const at = totals.asked.findIndex(({ field }) => field.id === shown.field.id)}
  {@const asked = totals.asked[at]}
  <div
    role="gridcell"
    aria-colindex={index + 1}
    class:right={alignsRight(model, shown.field)}
    class:beside={!shown.frozen}
    style:width="{shown.width}px"
    style:left={shown.frozen ? undefined : `${shown.left}px`}
  >
    {#if asked}<TotalValue {model} {asked} value={totals.all[at]} />{/if}
  </div>
{/snippet}

<div class="foot" role="row" aria-rowindex={rowIndex}>
  <div class="still">
    {#each still as shown, index (shown.field.id)}{@render total(shown, index)}{/each}
  </div>
  {#each beside as shown, index (shown.field.id)}{@render total(shown, first + index)}{/each}
</div>

<style>
  .foot {
    position: relative;
    height: 30px;
  }
  .still {
    position: sticky;
    left: 0;
    z-index: 2;
    display: flex;
    width: max-content;
    height: 100%;
  }
  [role='gridcell'] {
    height: 100%;
    padding: 0 10px;
    overflow: hidden;
    line-height: 29px;
    white-space: nowrap;
    background: var(--ground);
    border-right: 1px solid var(--line);
  }
  .beside {
    position: absolute;
    top: 0;
  }
  .right {
    text-align: right;
  }
</style>
