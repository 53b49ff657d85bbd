<script lang="ts">
  /** A table, or a field, of several. */
  let {
    label,
    of,
    value = $bindable(),
    onchange,
  }: {
    label: string;
    of: readonly { readonly key: string; readonly label: string }[];
    /** The key of the one that is chosen; blank as long as none is. */
    value: string;
    onchange?: (key: string) => void;
  } = $props();
</script>

<label
  >{label}
  <select class="in-line" bind:value onchange={() => onchange?.(value)}>
    <option value="" disabled>choose</option>
    {#each of as one (one.key)}<option value={one.key}>{one.label}</option>{/each}
  </select></label
>
