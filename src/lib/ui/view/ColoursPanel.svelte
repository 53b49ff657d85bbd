<script lang="ts">
  import { say } from '$core/base/say';
  import X from '@lucide/svelte/icons/x';
  import { checkCondition } from '$core/formula/checker';
  import { dyeWords } from '$core/model/names/dyeWords';
  import { type Model, type Table } from '$core/types/model';
  import { dyes, type Dye } from '$core/types/field';
  import type { ViewJson } from '$core/views/viewJson';
  import ConditionBuilder from '../formula/ConditionBuilder.svelte';

  /** Edges of records in a dye, each by a condition that is chosen or written; the first that is met counts. */
  const {
    model,
    table,
    colours,
    zone,
    onchange,
  }: {
    model: Model;
    table: Table;
    colours: ViewJson['colours'];
    zone: string;
    onchange: (colours: ViewJson['colours']) => void;
  } = $props();
  let adding = $state(false);
  let when = $state('');
  const free = $derived(dyes.find((dye) => !colours.some((one) => one.dye === dye) && dye !== table.dye) ?? 'weld');
  const problem = $derived(when.trim() === '' ? null : (checkCondition(model, table.id, when).problems[0] ?? null));

  function add() {
    if (when.trim() === '' || problem) return;
    onchange([...colours, { when: when.trim(), dye: free }]);
    [adding, when] = [false, ''];
  }
</script>

<ul>
  {#each colours as colour, index (colour.when)}
    <li>
      <span class="edge" style:--dye="var(--dye-{colour.dye})"></span>
      <select
        class="in-line"
        aria-label="Colour for {colour.when}"
        value={colour.dye}
        onchange={(event) => onchange(colours.with(index, { ...colour, dye: event.currentTarget.value as Dye }))}
      >
        {#each dyes as dye (dye)}<option value={dye}>{say(dyeWords[dye])}</option>{/each}
      </select>
      where <code>{colour.when}</code>
      <button aria-label="Take the colour for {colour.when} away" onclick={() => onchange(colours.toSpliced(index, 1))}
        ><X size={14} /></button
      >
    </li>
  {:else}
    <li class="soft">Records have no colours. One is given by a condition, such as what is overdue.</li>
  {/each}
</ul>
{#if adding}
  <form onsubmit={(event) => (event.preventDefault(), add())}>
    <input
      class="in-line"
      bind:value={when}
      aria-label="Condition for the colour"
      placeholder="a condition, written or chosen below"
      spellcheck="false"
    />
    <button type="submit" class="do" disabled={when.trim() === '' || problem !== null}>Colour these</button>
    <span class="soft">{problem ? `${problem.message} ${problem.fix ?? ''}` : ''}</span>
  </form>
  <ConditionBuilder {model} {table} formula={when} {zone} onchange={(formula) => (when = formula)} />
{:else}
  <button class="do" onclick={() => (adding = true)}>a colour …</button>
{/if}

<style>
  ul {
    display: flex;
    flex-direction: column;
    gap: 4px;
    margin-bottom: 4px;
    font-size: 13px;
  }
  li,
  form {
    display: flex;
    gap: 8px;
    align-items: center;
    font-size: 13px;
  }
  .edge {
    width: 4px;
    height: 18px;
    background: repeating-linear-gradient(180deg, var(--dye) 0 6px, transparent 6px 8px);
  }
  .soft {
    color: var(--ink-soft);
  }
  code {
    font: 12px var(--mono);
  }
  input {
    width: min(420px, 60vw);
    font: 12px/1.6 var(--mono);
  }
  .do {
    color: var(--woad);
    font-size: 13px;
    text-decoration: underline;
  }
</style>
