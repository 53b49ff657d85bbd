<script lang="ts">
  import ArrowDown from '@lucide/svelte/icons/arrow-down';
  import ArrowUp from '@lucide/svelte/icons/arrow-up';
  import { isShown } from '$core/model/model';
  import type { Table } from '$core/types/model';
  import { totalsFor, type ShownColumn } from '$core/views/view';
  import type { RowLines, TotalKind, View } from '$core/types/view';
  import type { ViewJson } from '$core/views/viewJson';
  import type { ColumnChange } from '../grid/columnChange';
  import { totalWords } from './totalWords';

  /**
   * The columns of a view in one place: which are shown, in which order, with which total; how many stay and how tall
   * rows are.
   */
  const {
    table,
    view,
    columns,
    onchange,
    onset,
  }: {
    table: Table;
    view: View;
    columns: readonly ShownColumn[];
    onchange: (change: ColumnChange) => void;
    onset: (parts: Partial<ViewJson>) => void;
  } = $props();
  const hidden = $derived(
    table.fields.filter((field) => isShown(field) && !columns.some((one) => one.field.id === field.id)),
  );
</script>

<div class="columns">
  <ol>
    {#each columns as { field, total }, index (field.id)}
      <li>
        <label
          ><input type="checkbox" checked onchange={() => onchange({ do: 'hide', field: field.key })} />
          {field.label}</label
        >
        {#if totalsFor(field).length > 0}
          <select
            class="in-line"
            aria-label="Total of {field.label}"
            value={total ?? ''}
            onchange={(event) =>
              onchange({
                do: 'total',
                field: field.key,
                total: (event.currentTarget.value || null) as TotalKind | null,
              })}
          >
            <option value="">no total</option>
            {#each totalsFor(field) as kind (kind)}<option value={kind}
                >{kind === 'sum' ? 'sum' : totalWords(field, kind)}</option
              >{/each}
          </select>
        {/if}
        <button
          aria-label="{field.label}: further left"
          disabled={index === 0}
          onclick={() => onchange({ do: 'move', field: field.key, to: index - 1 })}><ArrowUp size={14} /></button
        >
        <button
          aria-label="{field.label}: further right"
          disabled={index === columns.length - 1}
          onclick={() => onchange({ do: 'move', field: field.key, to: index + 1 })}><ArrowDown size={14} /></button
        >
      </li>
    {/each}
  </ol>
  {#if hidden.length > 0}
    <div>
      <p>not shown</p>
      <ul>
        {#each hidden as field (field.id)}
          <li>
            <label
              ><input type="checkbox" onchange={() => onchange({ do: 'show', field: field.key })} />
              {field.label}</label
            >
          </li>
        {/each}
      </ul>
    </div>
  {/if}
  <div class="settings">
    <label
      >frozen columns <input
        type="number"
        min="0"
        max={Math.min(20, columns.length)}
        value={view.frozen}
        onchange={(event) => onset({ frozen: Number(event.currentTarget.value) })}
      /></label
    >
    <label
      >lines per row <select
        class="in-line"
        value={view.lines}
        onchange={(event) => onset({ lines: Number(event.currentTarget.value) as RowLines })}
      >
        <option value={1}>1</option><option value={2}>2</option><option value={4}>4</option>
      </select></label
    >
    <label
      ><input
        type="checkbox"
        checked={view.takesNew}
        onchange={(event) => onset({ takesNew: event.currentTarget.checked })}
      /> show new fields here</label
    >
  </div>
</div>

<style>
  .columns {
    display: flex;
    flex-wrap: wrap;
    gap: 12px 40px;
    max-height: 40vh;
    overflow: auto;
    font-size: 13px;
  }
  ol,
  ul {
    display: flex;
    flex-direction: column;
    gap: 1px;
  }
  li {
    display: flex;
    gap: 6px;
    align-items: center;
    min-height: 24px;
  }
  label {
    display: flex;
    flex: 1;
    gap: 8px;
    align-items: center;
    min-width: 170px;
  }
  p {
    color: var(--ink-faint);
    font-size: 12px;
  }
  .settings {
    display: flex;
    flex-direction: column;
    gap: 6px;
  }
  .settings label {
    flex: none;
  }
  input[type='number'] {
    width: 58px;
  }
  button {
    padding: 2px;
    color: var(--ink-soft);
    border-radius: 3px;
  }
  button:disabled {
    opacity: 0.35;
  }
</style>
