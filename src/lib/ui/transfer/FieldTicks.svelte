<script lang="ts">
  import type { Field } from '$core/types/field';

  /** Fields of a table, of which some are chosen. */
  const {
    legend,
    fields,
    chosen,
    onchange,
  }: {
    legend: string;
    fields: readonly Field[];
    /** By their keys, in the order in which they were chosen. */
    chosen: readonly string[];
    onchange: (chosen: readonly string[]) => void;
  } = $props();
</script>

<fieldset>
  <legend>{legend}</legend>
  {#each fields as { key, label } (key)}
    <label
      ><input
        type="checkbox"
        checked={chosen.includes(key)}
        onchange={(event) =>
          onchange(event.currentTarget.checked ? [...chosen, key] : chosen.filter((one) => one !== key))}
      />
      {label}</label
    >
  {/each}
</fieldset>

<style>
  fieldset {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
    gap: 2px 12px;
    margin-bottom: 12px;
  }
  legend {
    margin-bottom: 2px;
    color: var(--ink-soft);
    font-size: 13px;
  }
</style>
