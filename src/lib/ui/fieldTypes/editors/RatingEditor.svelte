<script lang="ts">
  import type { EditorProps } from '../kind';

  /** Whole steps as stars: a digit or the arrow keys choose, Enter keeps. */
  const { place, value, start, oncommit, oncancel }: EditorProps = $props();
  const { field } = $derived(place);
  const most = $derived('most' in field.type ? field.type.most : 0);
  // svelte-ignore state_referenced_locally
  let steps = $state(Number((start && /^\d$/.test(start) ? start : value) ?? 0));
  let done = false;

  function finish(key?: string, back = false) {
    if (done) return;
    done = true;
    oncommit(steps === 0 ? null : steps, key, back);
  }

  function key(event: KeyboardEvent) {
    if (/^\d$/.test(event.key)) steps = Math.min(most, event.key === '0' && most === 10 ? 10 : Number(event.key));
    else if (event.key === 'ArrowRight' || event.key === 'ArrowUp') steps = Math.min(most, steps + 1);
    else if (event.key === 'ArrowLeft' || event.key === 'ArrowDown') steps = Math.max(0, steps - 1);
    else if (event.key === 'Delete' || event.key === 'Backspace') steps = 0;
    else if (event.key === 'Enter' || event.key === 'Tab') finish(event.key, event.shiftKey);
    else if (event.key === 'Escape') {
      done = true;
      oncancel();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
  const focus = (node: HTMLElement) => node.focus();
</script>

<div
  {@attach focus}
  class="stars"
  role="slider"
  tabindex="0"
  aria-label={field.label}
  aria-valuemin={0}
  aria-valuemax={most}
  aria-valuenow={steps}
  onkeydown={key}
  onblur={() => finish()}
>
  {#each { length: most } as _, index (index)}
    <button
      type="button"
      tabindex="-1"
      class:on={index < steps}
      onpointerdown={(event) => (event.preventDefault(), (steps = index + 1), finish('Enter'))}
      aria-label="{index + 1} of {most}">★</button
    >
  {/each}
</div>

<style>
  .stars {
    display: flex;
    padding: 0 8px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  button {
    padding: 0 2px;
    color: var(--line-strong);
    font-size: 16px;
  }
  .on {
    color: var(--weld);
  }
</style>
