<script lang="ts" module>
  export interface Choice {
    readonly label: string;
    readonly value: unknown;
    /** Said beside the label, to tell candidates apart. */
    readonly about?: string;
    /** It makes something, so it is never taken unless a person goes to it. */
    readonly makes?: true;
  }

  /**
   * The choice that a text means: the one called just so, else the first that begins with it, else the first that has
   * it. What was found as it is merely alike is offered, but meant by nobody.
   */
  export function meantChoice(found: readonly Choice[], text: string): Choice | undefined {
    const wanted = text.trim().toLowerCase();
    const there = found.filter(({ makes }) => !makes).map((choice) => ({ choice, label: choice.label.toLowerCase() }));
    const meant =
      there.find(({ label }) => label === wanted) ??
      there.find(({ label }) => label.startsWith(wanted)) ??
      there.find(({ label }) => label.includes(wanted));
    return meant?.choice;
  }
</script>

<script lang="ts">
  import { untrack } from 'svelte';

  /**
   * An input with a list that narrows as one types (WAI-ARIA combobox): options, links, anything chosen by its words.
   */
  const {
    start,
    begun = false,
    choices,
    label,
    oncommit,
    oncancel,
    autofocus = true,
    inForm = false,
  }: {
    start: string;
    /** `start` was typed to open it, so the list narrows to it at once. */
    begun?: boolean;
    choices: (typed: string) => Promise<readonly Choice[]> | readonly Choice[];
    label: string;
    /** `later`: what the text means is still being looked up, and comes then. */
    oncommit: (
      choice: Choice | null,
      typed: string,
      event?: KeyboardEvent,
      later?: Promise<Choice | undefined>,
    ) => void;
    oncancel?: () => void;
    autofocus?: boolean;
    /** It stands among other controls: its list opens once one is in it, and Tab goes on. */
    inForm?: boolean;
  } = $props();
  const id = $props.id();
  // svelte-ignore state_referenced_locally
  let typed = $state(start);
  let found = $state<readonly Choice[]>([]);
  let at = $state(-1);
  // svelte-ignore state_referenced_locally
  let touched = begun;
  let asked = 0;
  /** The latest search that is under way. */
  let looking: Promise<Choice | undefined> | null = null;
  // svelte-ignore state_referenced_locally
  let open = $state(!inForm);

  async function search(text: string, mine: number): Promise<Choice | undefined> {
    const answer = await choices(text);
    const meant = touched && text.trim() !== '' ? meantChoice(answer, text) : undefined;
    // Answers can overtake each other; only the latest question counts.
    if (mine === asked) [found, at, looking] = [answer, meant ? answer.indexOf(meant) : -1, null];
    return meant;
  }

  function look(text: string) {
    looking = search(text, ++asked);
  }

  function commit(choice: Choice | undefined, event?: KeyboardEvent) {
    if (choice) {
      touched = false;
      // Also where it was chosen before, so that nothing is drawn anew.
      if (inForm) [typed, open] = [choice.label, false];
      oncommit(choice, choice.label, event);
    } else if (typed.trim() === '') oncommit(null, '', event);
    else if (!touched) oncancel?.();
    else oncommit(null, typed, event, looking ?? undefined);
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      at = (at + (event.key === 'ArrowDown' ? 1 : -1) + found.length) % Math.max(found.length, 1);
      event.preventDefault();
    } else if (event.key === 'Enter' || event.key === 'Tab') {
      const goesOn = inForm && event.key === 'Tab';
      if (!goesOn) event.preventDefault();
      event.stopPropagation();
      // What is listed while another search goes on was found for another text.
      if (!goesOn || typed.trim() !== '') commit(looking && touched ? undefined : found[at], event);
    } else if (event.key === 'Escape') {
      event.stopPropagation();
      if (inForm) open = false;
      oncancel?.();
    } else if (inForm) open = true;
  }

  /** In a form, what was typed and not chosen is told when one leaves: it would look as if it were taken. */
  function left() {
    if (inForm && touched) oncommit(null, typed);
    if (inForm) open = false;
    oncancel?.();
  }

  // Once: a model that is read anew while one types must not begin the search again.
  const begin = (node: HTMLInputElement) =>
    untrack(() => {
      if (!inForm) look(begun ? start : '');
      if (!autofocus) return;
      node.focus();
      if (!begun) node.select();
    });
</script>

<div class="combo">
  <input
    {@attach begin}
    bind:value={typed}
    oninput={() => ((touched = true), look(typed))}
    onkeydown={key}
    onfocus={() => inForm && ((open = true), look(typed))}
    onblur={left}
    role="combobox"
    aria-label={label}
    aria-expanded={open && found.length > 0}
    aria-controls={open && found.length > 0 ? id : undefined}
    aria-activedescendant={open && at >= 0 && at < found.length ? `${id}-${at}` : undefined}
    autocomplete="off"
  />
  {#if open && found.length > 0}
    <div {id} class="list" role="listbox" aria-label={label}>
      {#each found as choice, index (index)}
        <!-- Pointer down, not click: the input loses its focus before a click. -->
        <div
          id="{id}-{index}"
          role="option"
          tabindex="-1"
          aria-selected={index === at}
          onpointerdown={(event) => (event.preventDefault(), commit(choice))}
        >
          {choice.label}{#if choice.about}<small>{choice.about}</small>{/if}
        </div>
      {/each}
    </div>
  {/if}
</div>

<style>
  .combo {
    position: relative;
    width: 100%;
  }
  input {
    width: 100%;
    height: 100%;
    padding: 4px 8px;
    font: inherit;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .list {
    position: absolute;
    top: 100%;
    left: 0;
    z-index: 15;
    min-width: 100%;
    max-height: 220px;
    overflow: auto;
    padding: 3px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  [role='option'] {
    padding: 3px 8px;
    white-space: nowrap;
    border-radius: 3px;
    cursor: pointer;
  }
  small {
    margin-left: 12px;
    color: var(--ink-faint);
  }
  [aria-selected='true'] {
    background: var(--woad-tint);
  }
</style>
