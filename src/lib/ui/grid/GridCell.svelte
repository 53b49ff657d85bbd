<script lang="ts">
  import PanelRightOpen from '@lucide/svelte/icons/panel-right-open';
  import type { Snippet } from 'svelte';
  import type { Model, Table } from '$core/types/model';
  import { alignsRight, isCalculated } from '../values/show';
  import type { GridColumn } from './gridGeometry';

  /** One cell of a grid: where it stands and what of it is seen; what is in it is given. */
  const {
    model,
    table,
    shown,
    line,
    column,
    on,
    chosen,
    readonly,
    edge,
    marked,
    tall,
    ground,
    others,
    onpress,
    onover,
    onopen,
    onlinked,
    children,
  }: {
    model: Model;
    table: Table;
    shown: GridColumn;
    line: number;
    column: number;
    /** One is on this cell. */
    on: boolean;
    /** It is in the range that is chosen. */
    chosen: boolean;
    readonly: boolean;
    /** It is the last of the frozen columns. */
    edge: boolean;
    /** Its value has just changed. */
    marked: boolean;
    tall: boolean;
    /** Of a record, of the one that is open, or of the row one types a new one into. */
    ground: 'record' | 'opened' | 'draft';
    /** Who else is in it. */
    others: readonly string[];
    onpress: (event: PointerEvent) => void;
    onover: () => void;
    onopen: () => void;
    /** Shows beside what the cell names. */
    onlinked: (() => void) | null;
    children: Snippet;
  } = $props();
  const calculated = $derived(isCalculated(shown.field));
  /** The pointer is over it. The button is made then only: a grid draws hundreds of cells with links. */
  let under = $state(false);
</script>

<div
  role="gridcell"
  data-cell="{line}.{column}"
  tabindex={on ? 0 : -1}
  aria-colindex={column + 1}
  aria-readonly={readonly || calculated}
  aria-selected={chosen ? true : undefined}
  class={[
    ground,
    {
      right: alignsRight(model, shown.field),
      woven: calculated,
      title: shown.field.id === table.title,
      still: shown.frozen,
      edge,
      marked,
      tall,
      others: others.length > 0,
    },
  ]}
  data-others={others.join(', ') || undefined}
  style:width="{shown.width}px"
  style:left={shown.frozen ? undefined : `${shown.left}px`}
  onpointerdown={onpress}
  onpointerenter={() => ((under = true), onover())}
  onpointerleave={() => (under = false)}
  ondblclick={onopen}
>
  {@render children()}
  {#if onlinked && (on || under)}
    <button
      class="beside"
      tabindex={-1}
      aria-label="Open {shown.field.label} beside"
      title="Open beside (Alt+Enter)"
      onclick={onlinked}><PanelRightOpen size={14} /></button
    >
  {/if}
</div>

<style>
  [role='gridcell'] {
    position: absolute;
    top: 0;
    height: 100%;
    padding: 0 10px;
    overflow: hidden;
    line-height: 29px;
    text-overflow: ellipsis;
    white-space: nowrap;
    background-color: var(--raised);
    border-right: 1px solid var(--line);
    border-bottom: 1px solid var(--line);
    outline-offset: -2px;
  }
  [role='gridcell'].still {
    position: relative;
  }
  .tall {
    padding-top: 5px;
    line-height: 18px;
    white-space: normal;
  }
  [role='gridcell'].woven {
    background-color: var(--woven);
  }
  [role='gridcell'].draft {
    background-color: var(--ground);
  }
  [role='gridcell'].opened,
  [aria-selected='true'][role='gridcell'] {
    background-color: var(--woad-tint);
    background-image: none;
  }
  [role='gridcell']:focus {
    outline: 2px solid var(--woad);
  }
  [role='gridcell']:has(:global(input, textarea, [role='slider'])) {
    z-index: 4;
    padding: 0 1px;
    overflow: visible;
  }
  .beside {
    position: absolute;
    top: 3px;
    right: 3px;
    padding: 3px 4px;
    line-height: 0;
    color: var(--woad);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: 3px;
  }
  .title {
    font-weight: 600;
  }
  .edge {
    border-right-color: var(--line-strong);
  }
  .others {
    box-shadow: inset 0 0 0 2px var(--dye-heather);
  }
  .others::after {
    position: absolute;
    right: 2px;
    bottom: 2px;
    padding: 0 4px;
    color: var(--raised);
    font-size: 11px;
    line-height: 14px;
    content: attr(data-others);
    background: var(--dye-heather);
  }
  .right {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .marked {
    animation: changed 1.8s ease-out;
  }
  @keyframes changed {
    0%,
    40% {
      background: var(--weld-tint);
      box-shadow: inset 0 -2px 0 var(--weld);
    }
  }
  @media (prefers-reduced-motion: reduce) {
    .marked {
      animation: none;
      background: var(--weld-tint);
    }
  }
</style>
