<script lang="ts">
  import { plainPaper } from '$core/documents/document';
  import { papers, type LabelSheet, type PaperName } from '$core/types/document';
  import type { DocumentDesign } from './documentDesign.svelte';

  /** What is said of the whole document: its name, its paper, and whether it is labels on a sheet. */
  const { design }: { design: DocumentDesign } = $props();
  const paper = $derived(design.json.paper);
  const labels = $derived(design.json.labels);
  const sides = ['Top', 'Right', 'Bottom', 'Left'] as const;
  const sheet: LabelSheet = { columns: 3, rows: 8, width: 64, height: 34, across: 66, down: 34 };
  const sizes = [
    ['columns', 'Across', 1, 20],
    ['rows', 'Down', 1, 50],
    ['width', 'Width, mm', 5, 400],
    ['height', 'Height, mm', 5, 400],
    ['across', 'Step across, mm', 5, 400],
    ['down', 'Step down, mm', 5, 400],
  ] as const;
  const within = (value: string, least: number, most: number) => Math.min(Math.max(Number(value) || 0, least), most);
  let first = $state<HTMLInputElement | null>(null);

  export const focus = () => first?.focus();
</script>

<div class="settings">
  <label
    >Name
    <input
      class="in-line"
      bind:this={first}
      value={design.json.label}
      placeholder="Delivery note"
      oninput={(event) => design.change({ label: event.currentTarget.value })}
    /></label
  >
  <label
    >What it is for
    <textarea
      class="in-line"
      rows="2"
      value={design.json.description}
      oninput={(event) => design.change({ description: event.currentTarget.value })}
    ></textarea></label
  >
  <label
    >Paper
    <select
      class="in-line"
      value={paper.size}
      onchange={(event) => design.change({ paper: { ...paper, size: event.currentTarget.value as PaperName } })}
    >
      {#each Object.entries(papers) as [name, [wide, high]] (name)}<option value={name}
          >{name}, {wide} × {high} mm</option
        >{/each}
    </select></label
  >
  <label class="check"
    ><input
      type="checkbox"
      checked={paper.landscape}
      onchange={(event) => design.change({ paper: { ...paper, landscape: event.currentTarget.checked } })}
    /> Landscape</label
  >
  <fieldset>
    <legend>Margins, mm</legend>
    {#each sides as side, index (side)}
      <label
        >{side}
        <input
          class="in-line"
          type="number"
          min="0"
          max="80"
          value={paper.margins[index]}
          onchange={(event) => {
            const margins = paper.margins.map((one, at) =>
              at === index ? within(event.currentTarget.value, 0, 80) : one,
            ) as unknown as typeof paper.margins;
            design.change({ paper: { ...paper, margins } });
          }}
        /></label
      >
    {/each}
  </fieldset>
  <label class="check"
    ><input
      type="checkbox"
      checked={labels !== null}
      onchange={(event) =>
        design.change(
          event.currentTarget.checked
            ? { labels: sheet, paper: { ...paper, margins: [12, 6, 12, 6] } }
            : { labels: null, paper: { ...paper, margins: plainPaper.margins } },
        )}
    /> Labels on a sheet, one for each record</label
  >
  {#if labels}
    <fieldset>
      <legend>Labels</legend>
      {#each sizes as [name, label, least, most] (name)}
        <label
          >{label}
          <input
            class="in-line"
            type="number"
            min={least}
            max={most}
            step={name === 'columns' || name === 'rows' ? 1 : 0.1}
            value={labels[name]}
            onchange={(event) =>
              design.change({ labels: { ...labels, [name]: within(event.currentTarget.value, least, most) } })}
          /></label
        >
      {/each}
      <p>{labels.columns * labels.rows} on a sheet</p>
    </fieldset>
  {/if}
</div>

<style>
  .settings {
    display: flex;
    flex-direction: column;
    gap: 8px;
  }
  label {
    display: flex;
    flex-direction: column;
    gap: 2px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .check {
    flex-direction: row;
    gap: 6px;
    align-items: center;
  }
  fieldset {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px;
    padding: 0;
    border: 0;
  }
  legend {
    color: var(--ink-soft);
    font-size: 13px;
  }
  p {
    grid-column: 1 / -1;
    color: var(--ink-soft);
    font-size: 13px;
  }
</style>
