<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { shownOption } from '$core/fieldTypes/option';
  import OptionLabel from '../../values/OptionLabel.svelte';
  import type { EditorProps } from '../kind';

  /**
   * A short list with every option in sight: one is pressed, or several ticked. Arrows and digits walk, Space takes and
   * gives back, Enter and Tab keep.
   */
  const { place, value, start, oncommit, oncancel }: EditorProps = $props();
  const { label, type } = $derived(place.field);
  const several = $derived(type.kind === 'options');
  const options = $derived(type.kind === 'option' || type.kind === 'options' ? type.options : []);

  // svelte-ignore state_referenced_locally
  let chosen = $state.raw<readonly string[]>(
    Array.isArray(value) ? (value as string[]) : typeof value === 'string' ? [value] : [],
  );
  /** What can be taken, and a retired option that stands in the record. */
  // svelte-ignore state_referenced_locally
  const offered = options
    .map((option, place) => ({ option, place }))
    .filter(({ option }) => !option.retired || chosen.includes(option.label));
  const placeOfStart = () => {
    if (start && /^[1-9]$/.test(start)) return Number(start) - 1;
    return offered.findIndex(({ option }) =>
      start ? shownOption(option).toLowerCase().startsWith(start.toLowerCase()) : chosen.includes(option.label),
    );
  };
  let at = $state(Math.max(0, Math.min(placeOfStart(), offered.length - 1)));
  let group = $state<HTMLElement | null>(null);
  let done = false;

  function finish(key?: string, back = false) {
    if (done) return;
    done = true;
    oncommit(several ? chosen : (chosen[0] ?? null), key, back);
  }

  function turn(label: string) {
    const has = chosen.includes(label);
    chosen = several ? (has ? chosen.filter((one) => one !== label) : [...chosen, label]) : has ? [] : [label];
  }

  async function walk(to: number) {
    at = (to + offered.length) % offered.length;
    await tick();
    group?.querySelectorAll<HTMLElement>('button')[at]?.focus();
  }

  function key(event: KeyboardEvent) {
    const marked = offered[at]?.option.label;
    if (event.key === 'ArrowRight' || event.key === 'ArrowDown') void walk(at + 1);
    else if (event.key === 'ArrowLeft' || event.key === 'ArrowUp') void walk(at - 1);
    else if (/^[1-9]$/.test(event.key)) {
      const taken = offered[Number(event.key) - 1];
      if (taken) {
        void walk(Number(event.key) - 1);
        // A digit takes; only of several does it give back, too.
        if (several || !chosen.includes(taken.option.label)) turn(taken.option.label);
      }
    } else if (event.key === ' ') marked !== undefined && turn(marked);
    else if (event.key === 'Delete' || event.key === 'Backspace') chosen = [];
    else if (event.key === 'Enter' || event.key === 'Tab') {
      // Of one choice, Enter takes what is walked to.
      if (!several && event.key === 'Enter' && marked !== undefined) chosen = [marked];
      finish(event.key, event.shiftKey);
    } else if (event.key === 'Escape') {
      done = true;
      oncancel();
    } else {
      const found = offered.findIndex(
        ({ option }) => event.key.length === 1 && shownOption(option).toLowerCase().startsWith(event.key.toLowerCase()),
      );
      if (found < 0) return event.stopPropagation();
      void walk(found);
    }
    event.preventDefault();
    event.stopPropagation();
  }

  function press(index: number, label: string) {
    turn(label);
    if (several) void walk(index);
    else finish('Enter');
  }

  const begin = () => untrack(() => void walk(at));
</script>

<div
  {@attach begin}
  bind:this={group}
  class="buttons"
  role={several ? 'group' : 'radiogroup'}
  aria-label={label}
  onfocusout={(event) => !group?.contains(event.relatedTarget as Node | null) && finish()}
>
  {#each offered as { option, place }, index (option.id)}
    <button
      type="button"
      role={several ? 'checkbox' : 'radio'}
      aria-checked={chosen.includes(option.label)}
      tabindex={index === at ? 0 : -1}
      onkeydown={key}
      onpointerdown={(event) => (event.preventDefault(), press(index, option.label))}
    >
      {#if several}<i aria-hidden="true">{chosen.includes(option.label) ? '☑' : '☐'}</i>{/if}<OptionLabel
        {option}
        {place}
      />
    </button>
  {/each}
</div>

<style>
  .buttons {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    padding: 4px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  /* A cell has the height of its row; in a form there is room below. */
  :global([role='gridcell']) .buttons {
    position: absolute;
    z-index: 15;
    width: max-content;
    max-width: 340px;
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  button {
    display: inline-flex;
    align-items: center;
    gap: 6px;
    padding: 2px 8px;
    line-height: 20px;
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  button[aria-checked='true'] {
    background: var(--woad-tint);
    border-color: var(--woad);
  }
  i {
    font-style: normal;
  }
</style>
