<script lang="ts">
  import { Label, Select } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import type { ColumnProfile } from '$core/intake/intake';
  import { cleanUps, type CleanUp } from '$core/intake/cleanUps';
  import { checkRowFormula, rowModel, rowTable, rowText } from '$core/intake/rowFormula';
  import Button from '../controls/Button.svelte';
  import FormulaEditor from '../formula/FormulaEditor.svelte';
  import BeforeAfter from './BeforeAfter.svelte';

  /**
   * What is made of a column's texts before they are read: chosen from a list or written as a formula over the row,
   * with what comes out of the first rows.
   */
  const {
    workspace,
    names,
    column,
    profile,
    rows,
    onclean,
  }: {
    workspace: string;
    /** The sheet's columns. */
    names: readonly string[];
    column: number;
    profile: ColumnProfile;
    /** The first rows as they were read. */
    rows: readonly (readonly (string | null)[])[];
    onclean: (formula: string) => void;
  } = $props();

  let formula = $state(untrack(() => profile.cleaned?.by ?? ''));
  let chosen = $state<CleanUp | null>(null);
  let parts = $state<string[]>([]);
  let editing = $state(0);
  const model = $derived(rowModel(names, column));
  const others = $derived(
    model.tables[0]?.fields
      .slice(1)
      .flatMap(({ key, label }, index) => (index === column ? [] : [{ value: key, name: label }])) ?? [],
  );
  const checked = $derived(formula.trim() === '' ? null : checkRowFormula(names, column, formula));
  const samples = $derived.by(() => {
    const expression = checked?.expression;
    if (!expression) return [];
    const pairs = rows.map((row) => ({ before: row[column] ?? '', after: rowText(expression, row) ?? '' }));
    const differ = pairs.filter(({ before, after }) => before !== after);
    return [...differ, ...pairs.filter(({ before, after }) => before === after)].slice(0, 6);
  });

  function choose(event: Event) {
    chosen = cleanUps.find(({ id }) => id === (event.currentTarget as HTMLSelectElement).value) ?? null;
    parts = chosen?.asks.map(({ kind, start }) => (kind === 'column' ? (others[0]?.value ?? '') : start)) ?? [];
    write();
  }
  function write() {
    if (!chosen) return;
    formula = chosen.write(parts);
    // The editor shows what was chosen.
    editing++;
  }
</script>

<Label
  >Make of it<Select
    class="mt-1 py-1.5"
    value={chosen?.id ?? ''}
    placeholder=""
    items={[
      { value: '', name: 'choose, or write a formula below' },
      ...cleanUps.map(({ id, words }) => ({ value: id, name: words })),
    ]}
    onchange={choose}
  /></Label
>
{#each chosen?.asks ?? [] as { words, kind }, index (words)}
  <Label class="mt-2"
    >{words}
    {#if kind === 'column'}<Select
        class="mt-1 py-1.5"
        placeholder=""
        items={others}
        bind:value={() => parts[index] ?? '', (now) => ((parts[index] = now), write())}
      />
    {:else}<input class="part" bind:value={() => parts[index] ?? '', (now) => ((parts[index] = now), write())} />{/if}
  </Label>
{/each}
<div class="written">
  {#key editing}
    <FormulaEditor
      {workspace}
      {model}
      table={rowTable}
      {formula}
      local
      ways={false}
      focus={false}
      called="Formula over the row"
      example="upper(value)"
      onchange={(now) => (formula = now)}
    />
  {/key}
</div>
{#if samples.length > 0}
  <BeforeAfter pairs={samples} />
{/if}
<div class="do">
  <Button
    kind="main"
    disabled={!checked?.expression || formula === (profile.cleaned?.by ?? '')}
    onclick={() => onclean(formula)}>Use this formula</Button
  >
  {#if profile.cleaned}<Button kind="quiet" onclick={() => onclean('')}>Leave the texts as they came in</Button>{/if}
</div>

<style>
  .part {
    display: block;
    width: 100%;
    padding: 4px 8px;
    margin-top: 4px;
    background: var(--ground);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .written {
    margin-top: 8px;
  }
  .do {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 8px;
  }
</style>
