<script lang="ts">
  import { untrack } from 'svelte';
  import { ownTables, tableNamed } from '$core/model/model';
  import type { Written } from '$core/filled/written';
  import { counted } from '../../values/words';
  import Choice from '../Choice.svelte';
  import type { FormProps } from '../form';

  /** Old and new codes, pasted as two columns; wherever else the codes stand as text. */
  const { model, begun, onwant }: FormProps = $props();
  const start = untrack(() => begun);
  const kinds = ['text', 'longText', 'number', 'email', 'phone', 'url', 'runningNumber'];
  let table = $state(String(start.table ?? ''));
  let field = $state(String(start.field ?? ''));
  let list = $state(
    ((start.codes ?? []) as { from: string; to: string }[]).map(({ from, to }) => `${from}\t${to}`).join('\n'),
  );
  let also = $state.raw<readonly string[]>(
    ((start.also ?? []) as { table: string; field: string }[]).map((one) => `${one.table}.${one.field}`),
  );
  const of = $derived(tableNamed(model, table));
  const codes = $derived(
    list
      .split('\n')
      .map((line) => line.split(/\t|;|→|->/).map((cell) => cell.trim()))
      .filter((cells) => cells.length >= 2 && cells[0] !== '' && cells[1] !== '')
      .map(([from = '', to = '']) => ({ from, to })),
  );
  const elsewhere = $derived(
    ownTables(model).flatMap((one) =>
      one.fields
        .filter(({ type, key }) => ['text', 'longText'].includes(type.kind) && !(one.key === table && key === field))
        .map((other) => ({ place: `${one.key}.${other.key}`, label: `${one.label}: ${other.label}` })),
    ),
  );

  $effect(() => {
    const json: Written | null =
      table !== '' && field !== '' && codes.length > 0
        ? {
            work: 'rekey',
            table,
            field,
            codes,
            also: also.map((place) => ({ table: place.split('.')[0], field: place.split('.')[1] })),
          }
        : null;
    untrack(() => onwant(json));
  });
</script>

<div class="asking">
  <Choice label="Table" of={ownTables(model)} bind:value={table} onchange={() => (field = '')} />
  {#if of}<Choice
      label="Field with the codes"
      of={of.fields.filter(({ type }) => kinds.includes(type.kind))}
      bind:value={field}
    />{/if}
</div>
<label class="list"
  >Old and new codes, one pair a line; two columns of a spreadsheet can be pasted
  <textarea rows="8" bind:value={list} placeholder="old code, a tab, new code" spellcheck="false"></textarea></label
>
<p class="soft" role="status">{counted(codes.length, 'pair')}</p>
{#if elsewhere.length > 0 && field !== ''}
  <fieldset>
    <legend>The codes also stand in</legend>
    {#each elsewhere as { place, label } (place)}
      <label
        ><input
          type="checkbox"
          checked={also.includes(place)}
          onchange={(event) =>
            (also = event.currentTarget.checked ? [...also, place] : also.filter((one) => one !== place))}
        />
        {label}</label
      >
    {/each}
  </fieldset>
{/if}

<style>
  .list {
    display: block;
    color: var(--ink-soft);
    font-size: 13px;
  }
  textarea {
    display: block;
    width: 100%;
    margin-top: 4px;
    font: 12px/1.6 var(--mono);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .soft {
    margin: 4px 0 10px;
    color: var(--ink-faint);
    font-size: 13px;
  }
  fieldset {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
    gap: 2px 12px;
    max-height: 220px;
    overflow: auto;
    font-size: 13px;
  }
  legend {
    color: var(--ink-soft);
  }
</style>
