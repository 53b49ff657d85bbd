<script lang="ts">
  /** By which name the steps behind read the record that a step gives. */
  const { value, standard, onchange }: { value: string; standard: string; onchange: (name: string) => void } = $props();
</script>

<label title="The steps below find its fields under this name."
  >called below
  <input
    class="in-line"
    {value}
    placeholder={standard}
    maxlength="120"
    oninput={(event) => onchange(event.currentTarget.value)}
  /></label
>
