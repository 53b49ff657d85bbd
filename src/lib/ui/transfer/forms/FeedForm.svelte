<script lang="ts">
  import { untrack } from 'svelte';
  import { feedOf } from '$core/flow/feeds';
  import { ownTables, tableNamed } from '$core/model/model';
  import ColumnsLinedUp, { type LinedUpColumn } from '../ColumnsLinedUp.svelte';
  import type { FormProps } from '../form';
  import SourceFilter from '../SourceFilter.svelte';

  /** A table that is fed from others: from which, from which of their records, and what it shows of them. */
  const { model, others, begun, shown, onwant }: FormProps = $props();
  interface Source {
    readonly table: string;
    readonly where: string;
    readonly mark: string;
  }
  const start = untrack(() => begun);
  const known = $derived([
    ...ownTables(model).map(({ key, label }) => ({ key, label })),
    ...others.map(({ path, label }) => ({ key: path, label })),
  ]);
  const labelOf = (key: string) => known.find((one) => one.key === key)?.label ?? key;
  // What is marked by itself is called as the table alone, without its workspace.
  const markOf = (key: string) =>
    tableNamed(
      untrack(() => model),
      key,
    )?.label ??
    labelOf(key).split(' · ').at(-1) ??
    key;
  const feeds = $derived(ownTables(model).filter((table) => feedOf(table)));
  let to = $state(typeof start.to === 'string' ? start.to : 'new');
  let label = $state(
    typeof start.to === 'object' && start.to !== null ? String((start.to as { label: string }).label) : '',
  );
  let sources = $state.raw<readonly Source[]>(
    ((start.sources ?? []) as readonly Partial<Source>[]).map(({ table = '', where = '', mark }) => ({
      table,
      where,
      mark: mark ?? untrack(() => markOf(table)),
    })),
  );
  let markLabel = $state(String(start.markLabel ?? 'Source'));
  let columns = $state.raw<readonly LinedUpColumn[] | null>(
    (start.fields as readonly LinedUpColumn[] | undefined) ?? null,
  );
  const proposed = $derived(
    shown?.transfer.work === 'feed' ? (shown.transfer.fields as readonly LinedUpColumn[]) : null,
  );
  const lines = $derived(columns ?? proposed ?? []);

  $effect(() => {
    const ready = sources.length > 0 && (to !== 'new' || label.trim() !== '');
    const json = ready
      ? {
          work: 'feed',
          sources,
          to: to === 'new' ? { label: label.trim() } : to,
          // A feed that stands has such a field.
          ...(to === 'new' ? { markLabel } : {}),
          ...(columns ? { fields: columns.filter((one) => one.label.trim() !== '') } : {}),
        }
      : null;
    untrack(() => onwant(json));
  });

  function add(key: string) {
    sources = [...sources, { table: key, where: '', mark: markOf(key) }];
    columns = null;
  }
  function leaveOut(key: string) {
    sources = sources.filter(({ table }) => table !== key);
    columns = null;
  }
  const change = (key: string, now: Partial<Source>) =>
    (sources = sources.map((one) => (one.table === key ? { ...one, ...now } : one)));
</script>

<div class="asking">
  {#if feeds.length > 0}
    <label
      >Into
      <select class="in-line" bind:value={to} onchange={() => (columns = null)}>
        <option value="new">a new table</option>
        {#each feeds as { key, label: name } (key)}<option value={key}>{name}</option>{/each}
      </select></label
    >
  {/if}
  {#if to === 'new'}<label>Name of the new table <input class="in-line" bind:value={label} /></label>{/if}
  <label
    >Fed from
    <select
      class="in-line"
      value=""
      onchange={(event) => {
        add(event.currentTarget.value);
        event.currentTarget.value = '';
      }}
    >
      <option value="" disabled>{sources.length === 0 ? 'choose a table' : 'one more table'}</option>
      {#each known.filter(({ key }) => key !== to && !sources.some(({ table }) => table === key)) as one (one.key)}
        <option value={one.key}>{one.label}</option>
      {/each}
    </select></label
  >
</div>
{#if sources.length > 0}
  <ul>
    {#each sources as { table, where, mark } (table)}
      <li>
        <div class="head">
          <b>{labelOf(table)}</b>
          <label
            >marked <input
              class="in-line"
              value={mark}
              aria-label="Mark of {labelOf(table)}"
              oninput={(event) => change(table, { mark: event.currentTarget.value })}
            /></label
          >
          <button type="button" onclick={() => leaveOut(table)}>leave out</button>
        </div>
        <SourceFilter
          {model}
          table={tableNamed(model, table)}
          called={labelOf(table)}
          {where}
          onchange={(now) => change(table, { where: now })}
        />
      </li>
    {/each}
  </ul>
  {#if to === 'new'}
    <div class="asking">
      <label>The field that tells them apart <input class="in-line" bind:value={markLabel} /></label>
    </div>
  {/if}
{/if}
{#if lines.length > 0}
  <ColumnsLinedUp
    columns={lines}
    tables={sources.map(({ table }) => ({ key: table, label: labelOf(table) }))}
    onchange={(now) => (columns = now)}
  />
  <p class="soft">
    What changes in a source is changed in the feed at once. Fields of its own (a note, a sign by a formula) are added
    to the table afterwards, and stay with their records.
  </p>
{/if}

<style>
  ul {
    margin-bottom: 8px;
  }
  li {
    padding: 6px 0;
    border-top: 1px solid var(--line);
  }
  .head {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    align-items: baseline;
  }
  .head label {
    color: var(--ink-soft);
    font-size: 13px;
  }
  button {
    color: var(--woad);
    text-decoration: underline;
  }
  .soft {
    margin-top: 6px;
    color: var(--ink-faint);
    font-size: 13px;
  }
</style>
