<script lang="ts">
  import { untrack } from 'svelte';
  import { ownTables, tableNamed } from '$core/model/model';
  import type { Written } from '$core/filled/written';
  import ColumnsLinedUp, { type LinedUpColumn } from '../ColumnsLinedUp.svelte';
  import type { FormProps } from '../form';

  /** Tables that become one: which, what marks their records, and how their columns line up. */
  const { model, begun, shown, onwant }: FormProps = $props();
  interface Source {
    readonly table: string;
    readonly mark: string;
  }
  const start = untrack(() => begun);
  const labelOf = (key: string) =>
    tableNamed(
      untrack(() => model),
      key,
    )?.label ?? key;
  let sources = $state.raw<readonly Source[]>(
    ((start.sources ?? []) as readonly Source[]).map(({ table, mark }) => ({ table, mark: mark ?? labelOf(table) })),
  );
  let to = $state(typeof start.to === 'string' ? start.to : 'new');
  let label = $state(
    typeof start.to === 'object' && start.to !== null ? String((start.to as { label: string }).label) : '',
  );
  let markLabel = $state(String(start.markLabel ?? 'Source'));
  let columns = $state.raw<readonly LinedUpColumn[] | null>(
    (start.fields as readonly LinedUpColumn[] | undefined) ?? null,
  );
  const accept = untrack(() => begun.accept === true);
  const proposed = $derived(
    shown?.transfer.work === 'merge' ? (shown.transfer.fields as readonly LinedUpColumn[]) : null,
  );
  const lines = $derived(columns ?? proposed ?? []);
  const chosen = $derived(sources.map(({ table }) => table));

  $effect(() => {
    const ready = sources.length >= 2 && (to !== 'new' || label.trim() !== '');
    const json: Written | null = ready
      ? {
          work: 'merge',
          sources,
          to: to === 'new' ? { label: label.trim() } : to,
          markLabel,
          ...(columns ? { fields: columns.filter((one) => one.label.trim() !== '') } : {}),
          ...(accept ? { accept } : {}),
        }
      : null;
    untrack(() => onwant(json));
  });

  function toggle(key: string, on: boolean) {
    sources = on ? [...sources, { table: key, mark: labelOf(key) }] : sources.filter(({ table }) => table !== key);
    if (to !== 'new' && !sources.some(({ table }) => table === to)) to = 'new';
    columns = null;
  }
</script>

<fieldset class="tables">
  <legend>Tables that become one</legend>
  {#each ownTables(model) as { key, label } (key)}
    <label
      ><input
        type="checkbox"
        checked={chosen.includes(key)}
        onchange={(event) => toggle(key, event.currentTarget.checked)}
      />
      {label}</label
    >
  {/each}
</fieldset>
{#if sources.length >= 2}
  <div class="asking">
    <label
      >Into
      <select class="in-line" bind:value={to} onchange={() => (columns = null)}>
        <option value="new">a new table</option>
        {#each chosen as key (key)}<option value={key}>{labelOf(key)}</option>{/each}
      </select></label
    >
    {#if to === 'new'}<label>Its name <input class="in-line" bind:value={label} /></label>{/if}
    <label>The field that tells them apart <input class="in-line" bind:value={markLabel} /></label>
    {#each sources as { table, mark }, at (table)}
      <label
        >{labelOf(table)} are marked
        <input
          class="in-line"
          value={mark}
          oninput={(event) =>
            (sources = sources.map((one, place) => (place === at ? { ...one, mark: event.currentTarget.value } : one)))}
        /></label
      >
    {/each}
  </div>
{/if}
{#if lines.length > 0}
  <ColumnsLinedUp
    columns={lines}
    tables={chosen.map((key) => ({ key, label: labelOf(key) }))}
    onchange={(now) => (columns = now)}
  />
  <p class="soft">
    A formula can turn values: <code>-weight</code>, <code>grams / 1000</code>. Formulas elsewhere turn them back.
  </p>
{/if}

<style>
  .tables {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
    gap: 2px 12px;
    margin-bottom: 10px;
  }
  legend {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .soft {
    margin-top: 6px;
    color: var(--ink-faint);
    font-size: 13px;
  }
</style>
