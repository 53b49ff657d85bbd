<script lang="ts">
  import { say } from '$core/base/say';
  import ArrowDown from '@lucide/svelte/icons/arrow-down';
  import ArrowUp from '@lucide/svelte/icons/arrow-up';
  import X from '@lucide/svelte/icons/x';
  import { valueTypeOf } from '$core/model/model';
  import type { Field } from '$core/types/field';
  import type { Model, Table } from '$core/types/model';
  import { mostGroups } from '$core/views/view';
  import { groupSteps, isSortable } from '$core/query/sortable';
  import type { SortStep } from '$core/types/view';
  import { orderPath, orderPaths, pathKey, pathLabel, stepWords } from '$core/query/query';
  import { orderParts, orderText, type OrderPart } from './viewWords';

  /**
   * What records are grouped by, or ordered by: fields, also of linked records, in order of weight, chosen and moved.
   */
  const {
    model,
    table,
    kind,
    written,
    most = mostGroups,
    onchange,
  }: {
    model: Model;
    table: Table;
    kind: 'groups' | 'sort';
    written: string;
    /** How many groups there can be. */
    most?: number;
    onchange: (written: string) => void;
  } = $props();
  const parts = $derived(orderParts(written));
  const choices = $derived(
    orderPaths(model, table)
      .map(({ over, paths }) => ({
        over,
        paths: paths.filter(
          (path) =>
            (kind === 'groups' ? groupSteps(model, path.field).length > 0 : isSortable(path.field)) &&
            !parts.some(({ key }) => key === pathKey(path)),
        ),
      }))
      .filter(({ paths }) => paths.length > 0),
  );
  const full = $derived(kind === 'groups' && parts.length >= most);
  const words = $derived(kind === 'groups' ? 'grouped by' : 'sorted by');

  const isNumber = (field: Field) => valueTypeOf(field).is === 'number';
  const stepsOf = (key: string) => {
    const path = orderPath(model, table, key);
    return path ? groupSteps(model, path.field) : [];
  };

  function change(index: number, part: Partial<OrderPart>) {
    onchange(orderText(parts.map((one, at) => (at === index ? { ...one, ...part } : one))));
  }

  function move(index: number, by: number) {
    const part = parts[index];
    if (part) onchange(orderText(parts.toSpliced(index, 1).toSpliced(index + by, 0, part)));
  }

  function add(key: string) {
    const [by] = stepsOf(key);
    // Days alone put hardly anything together; months do.
    const step: SortStep | null = kind === 'groups' ? (by === 'day' ? 'month' : (by ?? null)) : null;
    onchange(orderText([...parts, { key, descending: false, by: step }]));
  }
</script>

<ul>
  {#each parts as { key, descending, by }, index (key)}
    {@const path = orderPath(model, table, key)}
    {@const label = path ? pathLabel(path) : key}
    <li>
      <span class="when">{index === 0 ? words : 'then'}</span>
      <b>{label}</b>
      {#if kind === 'groups' && stepsOf(key).length > 1}
        <select
          class="in-line"
          aria-label="{label}: step"
          value={by ?? ''}
          onchange={(event) => change(index, { by: (event.currentTarget.value || null) as SortStep | null })}
        >
          {#each stepsOf(key) as step (step)}<option value={step ?? ''}
              >{step ? say(stepWords(step)) : 'by the whole list'}</option
            >{/each}
        </select>
      {/if}
      {#if kind === 'groups' && path && isNumber(path.field)}
        <label class="step"
          >in steps of <input
            class="in-line"
            type="number"
            min="0"
            step="any"
            aria-label="{label}: in steps of"
            placeholder="each value"
            value={typeof by === 'number' ? by : ''}
            onchange={(event) => change(index, { by: Number(event.currentTarget.value) || null })}
          /></label
        >
      {/if}
      <select
        class="in-line"
        aria-label="{label}: direction"
        value={String(descending)}
        onchange={(event) => change(index, { descending: event.currentTarget.value === 'true' })}
      >
        <option value="false">ascending</option>
        <option value="true">descending</option>
      </select>
      <button aria-label="{label}: move up" disabled={index === 0} onclick={() => move(index, -1)}
        ><ArrowUp size={14} /></button
      >
      <button aria-label="{label}: move down" disabled={index === parts.length - 1} onclick={() => move(index, 1)}
        ><ArrowDown size={14} /></button
      >
      <button aria-label="{label}: remove" onclick={() => onchange(orderText(parts.toSpliced(index, 1)))}
        ><X size={14} /></button
      >
    </li>
  {/each}
  {#if !full}
    <li>
      <span class="when">{parts.length === 0 ? words : 'then'}</span>
      <select
        class="in-line"
        aria-label={kind === 'groups' ? 'Group by' : 'Sort by'}
        value=""
        onchange={(event) => (add(event.currentTarget.value), (event.currentTarget.value = ''))}
      >
        <option value="">a field …</option>
        {#each choices as { over, paths } (over?.id)}
          <optgroup label={over ? `${over.label} ›` : table.label}>
            {#each paths as path (pathKey(path))}<option value={pathKey(path)}>{pathLabel(path)}</option>{/each}
          </optgroup>
        {/each}
      </select>
    </li>
  {/if}
</ul>

<style>
  ul {
    display: flex;
    flex-direction: column;
    gap: 4px;
    font-size: 13px;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 8px;
    align-items: center;
  }
  .when {
    min-width: 94px;
    color: var(--ink-soft);
  }
  .step {
    color: var(--ink-soft);
    white-space: nowrap;
  }
  .step input {
    width: 84px;
  }
  button {
    padding: 3px;
    color: var(--ink-soft);
    border-radius: 3px;
  }
  button:disabled {
    opacity: 0.35;
  }
  button:hover:not(:disabled) {
    background: var(--sunken);
  }
</style>
