<script lang="ts">
  import { untrack } from 'svelte';
  import { fieldNamed, isStored, ownTables, tableNamed, tableOf } from '$core/model/model';
  import type { ClashRule } from '$core/types/transfer';
  import type { Written } from '$core/transfer/work';
  import { call, workspacePath } from '../../api';
  import type { FieldFacts } from '../../structure/facts.svelte';
  import type { FormProps } from '../form';

  /** Records under a record become columns of it: which field names the column, which has its value. */
  const { workspace, model, begun, onwant }: FormProps = $props();
  const start = untrack(() => begun);
  let table = $state(String(start.table ?? ''));
  let link = $state(String(start.link ?? ''));
  let name = $state(String(start.name ?? ''));
  let value = $state(String(start.value ?? ''));
  let clash = $state<ClashRule>((start.clash as ClashRule | undefined) ?? 'first');
  let remove = $state(start.remove === true);
  let columns = $state.raw<readonly { is: string; label: string }[]>(
    (start.columns as readonly { is: string; label: string }[] | undefined) ?? [],
  );
  const of = $derived(tableNamed(model, table));
  const links = $derived((of?.fields ?? []).filter(({ type }) => type.kind === 'link'));
  const linked = $derived.by(() => {
    const field = of && fieldNamed(of, link);
    return field?.type.kind === 'link' ? tableOf(model, field.type.to).label : '';
  });
  const plain = $derived((of?.fields ?? []).filter((field) => isStored(field) && field.type.kind !== 'link'));
  const clashes: readonly (readonly [ClashRule, string])[] = [
    ['first', 'the first'],
    ['last', 'the last'],
    ['sum', 'their sum'],
    ['min', 'the smallest'],
    ['max', 'the largest'],
    ['avg', 'their average'],
  ];

  /** The values that stand in the field that names the columns. */
  async function find(key: string) {
    const answer = await call<FieldFacts>('GET', workspacePath(workspace, `/tables/${table}/fields/${key}/facts`));
    if (!answer.ok) return;
    columns = answer.value.frequent
      .map(({ value: text }) => String(text))
      .sort((a, b) => a.localeCompare(b, undefined, { numeric: true }))
      .map((text) => ({ is: `'${text.replaceAll("'", "''")}'`, label: text }));
  }

  $effect(() => {
    const ready = of !== undefined && link !== '' && name !== '' && value !== '' && columns.length > 0;
    const json: Written | null = ready ? { work: 'toColumns', table, link, name, value, clash, columns, remove } : null;
    untrack(() => onwant(json));
  });
</script>

<div class="asking">
  <label
    >Table with the rows
    <select class="in-line" bind:value={table} onchange={() => ([link, name, value, columns] = ['', '', '', []])}>
      <option value="" disabled>choose</option>
      {#each ownTables(model) as { key, label } (key)}<option value={key}>{label}</option>{/each}
    </select></label
  >
  {#if of}
    <label
      >Link to the record that gets the columns
      <select class="in-line" bind:value={link}>
        <option value="" disabled>choose</option>
        {#each links as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </select></label
    >
    <label
      >Each column is named by
      <select class="in-line" bind:value={name} onchange={() => void find(name)}>
        <option value="" disabled>choose</option>
        {#each plain as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </select></label
    >
    <label
      >and has the value of
      <select class="in-line" bind:value>
        <option value="" disabled>choose</option>
        {#each plain as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </select></label
    >
    <label
      >Of several rows
      <select class="in-line" bind:value={clash}
        >{#each clashes as [rule, words] (rule)}<option value={rule}>{words}</option>{/each}</select
      ></label
    >
    <label class="tick"><input type="checkbox" bind:checked={remove} /> the table with the rows goes to the bin</label>
  {/if}
</div>
{#if columns.length > 0}
  <h3>Columns of {linked}</h3>
  <ul>
    {#each columns as { is, label }, at (is)}
      <li>
        <input
          class="in-line"
          aria-label="Name of the column for {is}"
          value={label}
          oninput={(event) =>
            (columns = columns.map((one, place) =>
              place === at ? { ...one, label: event.currentTarget.value } : one,
            ))}
        />
        <button type="button" onclick={() => (columns = columns.filter((_, place) => place !== at))}>leave out</button>
      </li>
    {/each}
  </ul>
{/if}

<style>
  .asking .tick {
    display: flex;
    gap: 6px;
    align-items: center;
    font-size: 14px;
  }
  h3 {
    margin: 6px 0;
    font-size: 14px;
  }
  li {
    display: flex;
    gap: 8px;
    padding: 2px 0;
  }
  button {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
