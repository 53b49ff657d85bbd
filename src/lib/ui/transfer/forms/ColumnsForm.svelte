<script lang="ts">
  import { untrack } from 'svelte';
  import { fieldNamed, isStored, ownTables, tableNamed, tableOf } from '$core/model/model';
  import { typedLiteral } from '$core/query/conditions';
  import type { ClashRule } from '$core/types/transfer';
  import type { Written } from '$core/filled/written';
  import { call, workspacePath } from '../../api';
  import { counted } from '../../values/words';
  import Choice from '../Choice.svelte';
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
  let left = $state(0);
  let refused = $state('');
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

  /** The values that stand in the field that names the columns; `left` of them are too many or too long. */
  async function find(key: string) {
    const named = of && fieldNamed(of, key);
    const answer = await call<{ values: readonly { label: string }[]; left: number }>(
      'GET',
      workspacePath(workspace, `/tables/${table}/fields/${key}/values`),
    );
    refused = answer.ok ? '' : `${answer.problem.message} ${answer.problem.fix ?? ''}`;
    if (!answer.ok || !named || name !== key) return;
    columns = answer.value.values
      .map(({ label }) => label)
      .sort((a, b) => a.localeCompare(b, undefined, { numeric: true }))
      .flatMap((label) => {
        const literal = typedLiteral(model, named, label);
        return literal.ok ? [{ is: literal.value, label }] : [];
      });
    left = answer.value.left + answer.value.values.length - columns.length;
  }

  $effect(() => {
    const ready = of !== undefined && link !== '' && name !== '' && value !== '' && columns.length > 0;
    const json: Written | null = ready ? { work: 'toColumns', table, link, name, value, clash, columns, remove } : null;
    untrack(() => onwant(json));
  });
</script>

<div class="asking">
  <Choice
    label="Table with the rows"
    of={ownTables(model)}
    bind:value={table}
    onchange={() => ([link, name, value, columns, left] = ['', '', '', [], 0])}
  />
  {#if of}
    <Choice label="Link to the record that gets the columns" of={links} bind:value={link} />
    <Choice label="Each column is named by" of={plain} bind:value={name} onchange={(key) => void find(key)} />
    <Choice label="and has the value of" of={plain} bind:value />
    <label
      >Of several rows
      <select class="in-line" bind:value={clash}
        >{#each clashes as [rule, words] (rule)}<option value={rule}>{words}</option>{/each}</select
      ></label
    >
    <label class="tick"><input type="checkbox" bind:checked={remove} /> the table with the rows goes to the bin</label>
  {/if}
</div>
{#if refused}<p class="problem" role="alert">{refused}</p>{/if}
{#if left > 0}<p class="problem">
    {counted(left, 'further value')} can be no column: at most 500 are made, with names of up to 120 characters.
  </p>{/if}
{#if columns.length > 0}
  <h3>{counted(columns.length, 'column')} of {linked}</h3>
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
  .problem {
    margin: 4px 0;
    color: var(--madder);
    font-size: 13px;
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
