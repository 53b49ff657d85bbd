<script lang="ts">
  import { Input, Label } from 'flowbite-svelte';
  import type { IntakeSheet } from '$core/intake/intake';
  import type { TurnWish } from '$core/intake/sheets/columnsToRows';
  import Button from '../controls/Button.svelte';
  import { counted } from '../values/words';

  /**
   * Columns that are one thing many times, such as months: which of them became rows, and how to have it otherwise.
   */
  const { sheet, onturn }: { sheet: IntakeSheet; onturn: (wish: TurnWish | null) => void } = $props();

  const turned = $derived(sheet.turned);
  /** Columns as the file has them, but for those that stayed out as totals. */
  const names = $derived(
    turned
      ? [
          ...sheet.columns.map(({ name }) => name).filter((name) => ![turned.label, ...turned.values].includes(name)),
          ...turned.columns,
          ...turned.totals.map(({ name }) => name),
        ]
      : sheet.columns.map(({ name }) => name),
  );
  let open = $state(false);
  let picked = $state<string[]>([]);
  let label = $state('');
  let value = $state('');
  const stays = $derived(names.filter((name) => !picked.includes(name)));

  function begin() {
    picked = [...(turned?.columns ?? [])];
    [label, value] = [turned?.label ?? '', turned?.values.length === 1 ? (turned.values[0] ?? '') : ''];
    open = true;
  }
  function turn(event: SubmitEvent) {
    event.preventDefault();
    open = false;
    onturn({
      columns: names.filter((name) => picked.includes(name)),
      ...(label.trim() ? { label: label.trim() } : {}),
      ...(value.trim() ? { value: value.trim() } : {}),
    });
  }
</script>

<div class="turn">
  {#if turned}
    <span
      ><b>{turned.columns.length} columns became rows: {turned.columns[0]} … {turned.columns.at(-1)}</b> are in the
      column <code>{turned.label}</code>, their cells in
      {#each turned.values as name, at (name)}{at > 0 ? ', ' : ''}<code>{name}</code>{/each}. {counted(
        turned.rows,
        'row',
      )} of the file became {counted(sheet.rows + (sheet.leftOut?.length ?? 0), 'row')}.
      {#each turned.totals as { name, is, of, others } (name)}<span class:warn={others > 0}
          ><code>{name}</code> is left out, as it is the {is === 'sum' ? 'sum' : 'mean'} of {of} of them{others > 0
            ? `, but for ${counted(others, 'row')}`
            : ''}.</span
        >{/each}</span
    >
    <button class="act" onclick={() => onturn(null)}>Keep them as columns</button>
    <button class="act" aria-expanded={open} onclick={() => (open ? (open = false) : begin())}>Other columns</button>
  {:else}
    <button class="act" aria-expanded={open} onclick={() => (open ? (open = false) : begin())}
      >Turn columns into rows</button
    >
  {/if}
  {#if open}
    <form onsubmit={turn} aria-label="Columns of {sheet.name} that become rows">
      <p>Choose columns that hold the same thing many times, one for each month or place. The others stay.</p>
      <div class="names">
        {#each names as name (name)}<label><input type="checkbox" value={name} bind:group={picked} /> {name}</label
          >{/each}
      </div>
      <Label>Their names go to<Input class="mt-1" bind:value={label} placeholder="Month" /></Label>
      <Label>Their cells go to<Input class="mt-1" bind:value placeholder="Value" /></Label>
      <div class="ends">
        <Button kind="main" type="submit" disabled={picked.length < 2 || stays.length === 0}
          >Turn {picked.length > 1 ? `${picked.length} columns` : 'columns'} into rows</Button
        >
        <Button kind="quiet" onclick={() => (open = false)}>Cancel</Button>
      </div>
    </form>
  {/if}
</div>

<style>
  .turn {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    align-items: baseline;
    padding: 0 14px 8px;
    font-size: 13px;
  }
  .turn > span {
    flex: 1 1 420px;
  }
  .act {
    color: var(--woad);
    font-size: 12px;
    text-decoration: underline;
  }
  code {
    font: 12px var(--mono);
  }
  .warn {
    color: var(--weld);
  }
  form {
    display: flex;
    flex-wrap: wrap;
    flex-basis: 100%;
    gap: 8px 14px;
    align-items: end;
    padding: 10px 12px;
    background: var(--ground);
    border: 1px solid var(--line-strong);
  }
  p {
    flex-basis: 100%;
    color: var(--ink-soft);
  }
  .names {
    display: grid;
    flex-basis: 100%;
    grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
    gap: 4px 12px;
    max-height: 220px;
    overflow: auto;
  }
  .names label {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .ends {
    display: flex;
    gap: 8px;
  }
</style>
