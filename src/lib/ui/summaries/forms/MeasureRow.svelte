<script lang="ts">
  import { say } from '$core/base/say';
  import X from '@lucide/svelte/icons/x';
  import { measureKinds, ofRecords } from '$core/summaries/asked';
  import { orderPaths, pathKey, pathLabel } from '$core/query/query';
  import { valueTypeOf } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { MeasureKind } from '$core/types/summary';
  import type { Written } from '$core/filled/written';
  import ConditionField from '../../forms/design/ConditionField.svelte';

  /** What is counted or added up: of which field, and of which records. */
  const {
    model,
    table,
    zone,
    measure,
    place,
    marks,
    onchange,
    onremove,
  }: {
    model: Model;
    table: Table;
    zone: string;
    measure: Written;
    /** 1 for the first. */
    place: number;
    /** Whether it can be a mark that the first is held against. */
    marks: boolean;
    onchange: (measure: Written) => void;
    onremove: (() => void) | null;
  } = $props();
  const total = $derived(String(measure.total ?? 'count') as MeasureKind);
  const of = $derived(String(measure.of ?? ''));
  const paths = $derived(
    orderPaths(model, table)
      .map(({ over, paths: all }) => ({
        over,
        paths: all.filter(({ field }) => {
          if (field.type.kind === 'counterpart' || field.unlisted) return false;
          return measureKinds[total].of?.includes(valueTypeOf(field).is) ?? true;
        }),
      }))
      .filter(({ paths: all }) => all.length > 0),
  );
  const isPath = $derived(of === '' || paths.some(({ paths: all }) => all.some((path) => pathKey(path) === of)));
  let writes = $state(false);
  let isNarrowed = $state(false);
  const where = $derived(String(measure.where ?? ''));

  function kindChosen(next: MeasureKind) {
    const fits = !ofRecords(next) && (measureKinds[next].of === null || of !== '');
    onchange({ ...measure, total: next, of: fits ? of : '' });
    if (next === 'share') isNarrowed = true;
  }
</script>

<li>
  <div class="line">
    <select
      class="in-line"
      aria-label="Measure {place}"
      value={total}
      onchange={(event) => kindChosen(event.currentTarget.value as MeasureKind)}
    >
      {#each Object.entries(measureKinds) as [kind, { label }] (kind)}<option value={kind}
          >{kind === 'share' ? 'Share of records' : say(label)}</option
        >{/each}
    </select>
    {#if !ofRecords(total)}
      {#if isPath && !writes}
        <select
          class="in-line"
          aria-label="Measure {place}: of"
          value={of}
          onchange={(event) =>
            event.currentTarget.value === 'formula'
              ? (writes = true)
              : onchange({ ...measure, of: event.currentTarget.value })}
        >
          <option value="" disabled>of a field …</option>
          {#each paths as { over, paths: all } (over?.id)}
            <optgroup label={over ? `${over.label} ›` : table.label}>
              {#each all as path (pathKey(path))}<option value={pathKey(path)}>{pathLabel(path)}</option>{/each}
            </optgroup>
          {/each}
          <option value="formula">a formula …</option>
        </select>
      {:else}
        <input
          class="in-line formula"
          aria-label="Measure {place}: formula"
          placeholder="jars * price"
          value={of}
          onchange={(event) => {
            writes = event.currentTarget.value !== '';
            onchange({ ...measure, of: event.currentTarget.value });
          }}
        />
      {/if}
    {/if}
    {#if onremove}<button aria-label="Remove measure {place}" onclick={onremove}><X size={14} /></button>{/if}
  </div>
  <div class="more">
    <input
      class="in-line"
      aria-label="Measure {place}: called"
      placeholder="called …"
      maxlength="120"
      value={String(measure.label ?? '')}
      onchange={(event) => onchange({ ...measure, label: event.currentTarget.value })}
    />
    {#if marks}
      <label
        ><input
          type="checkbox"
          checked={measure.mark === true}
          onchange={(event) => onchange({ ...measure, mark: event.currentTarget.checked })}
        /> as a mark, such as a limit</label
      >
    {/if}
    {#if where === '' && !isNarrowed}
      <button class="link" onclick={() => (isNarrowed = true)}>+ only records where</button>
    {/if}
  </div>
  {#if where !== '' || isNarrowed}
    <ConditionField
      {model}
      {table}
      formula={where}
      {zone}
      label="Measure {place}: only records where"
      onchange={(next) => onchange({ ...measure, where: next })}
    />
  {/if}
</li>

<style>
  li {
    padding: 6px 0;
    border-bottom: 1px solid var(--line);
  }
  .line,
  .more {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 6px;
    align-items: center;
  }
  .more {
    margin-top: 4px;
    color: var(--ink-soft);
    font-size: 12px;
  }
  select,
  input.in-line {
    min-width: 0;
    max-width: 100%;
  }
  .formula {
    flex: 1;
    font-family: var(--mono);
    font-size: 12px;
  }
  button {
    min-width: 24px;
    min-height: 24px;
    color: var(--ink-soft);
  }
  .link {
    color: var(--woad);
  }
</style>
