<script lang="ts">
  /** A few words to choose among, each a large target: one, or any of them. */
  const {
    id,
    name,
    label,
    choices,
    chosen,
    many = false,
    inRow = false,
    clearable = false,
    invalid = false,
    describedby,
    onchange,
  }: {
    id: string;
    name: string;
    label: string;
    choices: readonly { readonly label: string; readonly value: string }[];
    chosen: readonly string[];
    many?: boolean;
    inRow?: boolean;
    clearable?: boolean;
    invalid?: boolean;
    describedby?: string;
    onchange: (chosen: readonly string[]) => void;
  } = $props();

  function turn(value: string, on: boolean) {
    onchange(many ? (on ? [...chosen, value] : chosen.filter((one) => one !== value)) : [value]);
  }
</script>

<div
  {id}
  class:row={inRow}
  class="choices"
  role={many ? 'group' : 'radiogroup'}
  aria-label={label}
  aria-describedby={describedby}
  tabindex="-1"
>
  {#each choices as choice (choice.value)}
    <label class:chosen={chosen.includes(choice.value)} class:invalid>
      <input
        type={many ? 'checkbox' : 'radio'}
        {name}
        value={choice.value}
        checked={chosen.includes(choice.value)}
        onchange={(event) => turn(choice.value, event.currentTarget.checked)}
      />
      {choice.label}
    </label>
  {/each}
  {#if clearable && !many && chosen.length > 0}<button type="button" onclick={() => onchange([])}>clear</button>{/if}
</div>

<style>
  .choices {
    display: flex;
    flex-direction: column;
    gap: 4px;
  }
  .row {
    flex-flow: row wrap;
  }
  label {
    display: flex;
    gap: 10px;
    align-items: center;
    min-height: 40px;
    padding: 0 12px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    cursor: pointer;
  }
  label.chosen {
    background: var(--woad-tint);
    border-color: var(--woad);
  }
  label.invalid {
    border-color: var(--madder);
  }
  label:has(:focus-visible) {
    outline: 2px solid var(--woad);
    outline-offset: 1px;
  }
  input {
    width: 18px;
    height: 18px;
  }
  input:focus,
  input:focus-visible {
    box-shadow: none;
    outline: none;
  }
  button {
    align-self: flex-start;
    min-height: 32px;
    color: var(--woad);
    font-size: 13px;
    text-decoration: underline;
  }
</style>
