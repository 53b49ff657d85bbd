<script lang="ts">
  import type { Scope } from '$core/routines/scope';
  import { readTemplate } from '$core/routines/template';
  import { readableFields } from './value';

  /** A text with fields in it, in braces; one is put in where one writes. */
  const {
    label,
    scope,
    text,
    rows = 1,
    placeholder = '',
    onchange,
  }: {
    label: string;
    scope: Scope;
    text: string;
    /** How many lines there is room for. */
    rows?: number;
    placeholder?: string;
    onchange: (text: string) => void;
  } = $props();
  let area = $state<HTMLTextAreaElement | HTMLInputElement | null>(null);
  const groups = $derived(readableFields(scope));
  const read = $derived(readTemplate(scope, text, ''));
  const problem = $derived(read.ok ? null : read.problem);

  function insert(path: string) {
    const [from, to] = [area?.selectionStart ?? text.length, area?.selectionEnd ?? text.length];
    onchange(`${text.slice(0, from)}{${path}}${text.slice(to)}`);
    const behind = from + path.length + 2;
    requestAnimationFrame(() => (area?.focus(), area?.setSelectionRange(behind, behind)));
  }
</script>

<div class="text">
  {#if rows > 1}
    <textarea
      bind:this={area}
      class="in-line"
      {rows}
      {placeholder}
      aria-label={label}
      aria-invalid={problem !== null}
      value={text}
      oninput={(event) => onchange(event.currentTarget.value)}
    ></textarea>
  {:else}
    <input
      bind:this={area}
      class="in-line"
      {placeholder}
      aria-label={label}
      aria-invalid={problem !== null}
      value={text}
      oninput={(event) => onchange(event.currentTarget.value)}
    />
  {/if}
  <select
    class="in-line"
    aria-label="Put a field into {label}"
    value=""
    onchange={(event) => {
      insert(event.currentTarget.value);
      event.currentTarget.value = '';
    }}
  >
    <option value="" disabled>+ field</option>
    {#each groups as group (group.label)}
      <optgroup label={group.label}>
        {#each group.of as one (one.formula)}<option value={one.formula}>{one.label}</option>{/each}
      </optgroup>
    {/each}
  </select>
  {#if problem}<p role="status">{problem.message} {problem.fix ?? ''}</p>{/if}
</div>

<style>
  .text {
    display: flex;
    flex: 1;
    flex-wrap: wrap;
    gap: 6px;
    align-items: start;
    min-width: 0;
  }
  .text > :first-child {
    flex: 1 1 260px;
  }
  select {
    width: 100px;
    color: var(--woad);
  }
  p {
    flex: 1 1 100%;
    color: var(--madder);
    font-size: 13px;
  }
</style>
