<script lang="ts" module>
  export interface ListChoice {
    readonly label: string;
    readonly value: unknown;
    readonly about?: string;
  }
</script>

<script lang="ts">
  import { untrack } from 'svelte';
  import { meantChoice } from '../../controls/Combo.svelte';

  /** Several of a list: what is chosen stands first, typing narrows, Enter takes and gives back, Ctrl+Enter is done. */
  const {
    chosen: start,
    choices,
    label,
    most = 50,
    oncommit,
    oncancel,
    oncreate,
  }: {
    chosen: readonly ListChoice[];
    choices: (typed: string) => Promise<readonly ListChoice[]> | readonly ListChoice[];
    label: string;
    most?: number;
    oncommit: (values: readonly unknown[], key?: string, back?: boolean) => void;
    oncancel: () => void;
    /** Makes what was typed, where that is possible. */
    oncreate?: (typed: string) => Promise<ListChoice | null>;
  } = $props();
  const id = $props.id();
  // svelte-ignore state_referenced_locally
  let chosen = $state.raw<readonly ListChoice[]>(start);
  let typed = $state('');
  let found = $state.raw<readonly ListChoice[]>([]);
  let at = $state(0);
  let done = false;
  /** The text that `found` was found for. */
  let foundFor = $state('');
  let missed = $state('');
  // By what it is: two may be called the same.
  const same = (a: ListChoice, b: ListChoice) => JSON.stringify(a.value) === JSON.stringify(b.value);
  const isChosen = (choice: ListChoice) => chosen.some((one) => same(one, choice));
  const shown = $derived([...found.slice(0, most)]);

  async function look(text: string) {
    const answer = await choices(text);
    if (text === typed) [found, foundFor, at] = [answer, text, 0];
  }

  function turn(choice: ListChoice | undefined) {
    if (!choice) return;
    chosen = isChosen(choice) ? chosen.filter((one) => !same(one, choice)) : [...chosen, choice];
    typed = '';
    void look('');
  }

  async function lookUp(text: string) {
    typed = '';
    const meant = meantChoice(await choices(text), text);
    if (meant && !isChosen(meant)) chosen = [...chosen, meant];
    else if (!meant) missed = text;
    if (typed === '') void look('');
  }

  function finish(key?: string, back = false) {
    done = true;
    oncommit(
      chosen.map(({ value }) => value),
      key,
      back,
    );
  }

  async function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp')
      at = (at + (event.key === 'ArrowDown' ? 1 : -1) + shown.length) % Math.max(1, shown.length);
    else if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) finish('Enter');
    else if (event.key === 'Enter') {
      // What is listed was found for another text: this one is looked up, while one types on.
      if (foundFor !== typed && typed.trim()) void lookUp(typed);
      else if (shown[at]) turn(shown[at]);
      else if (oncreate && typed.trim()) {
        const made = await oncreate(typed.trim());
        if (made) turn(made);
      }
    } else if (event.key === 'Tab') {
      // What was typed is meant to be taken along.
      const marked = shown[at];
      if (typed.trim() && marked && !isChosen(marked)) turn(marked);
      finish('Tab', event.shiftKey);
    } else if (event.key === 'Backspace' && typed === '') chosen = chosen.slice(0, -1);
    else if (event.key === 'Escape') {
      done = true;
      oncancel();
    } else return event.stopPropagation();
    event.preventDefault();
    event.stopPropagation();
  }

  // Once: a model that is read anew while one chooses must not begin anew.
  const begin = (node: HTMLInputElement) =>
    untrack(() => {
      node.focus();
      void look('');
    });
</script>

<div class="editor">
  <div class="line">
    {#each chosen as one, index (index)}<button
        type="button"
        tabindex="-1"
        class="chip"
        onpointerdown={(event) => (event.preventDefault(), turn(one))}
        aria-label="Take {one.label} out">{one.label} ×</button
      >{/each}
    <input
      {@attach begin}
      bind:value={typed}
      oninput={() => void look(typed)}
      onkeydown={(event) => void key(event)}
      onblur={() => !done && finish()}
      role="combobox"
      aria-label={label}
      aria-expanded={shown.length > 0}
      aria-controls={id}
      aria-activedescendant={shown[at] ? `${id}-${at}` : undefined}
      autocomplete="off"
    />
  </div>
  <div {id} class="list" role="listbox" aria-multiselectable="true" aria-label={label}>
    {#each shown as choice, index (index)}
      <div
        id="{id}-{index}"
        role="option"
        tabindex="-1"
        aria-selected={isChosen(choice)}
        class:at={index === at}
        onpointerdown={(event) => (event.preventDefault(), turn(choice))}
      >
        <i aria-hidden="true">{isChosen(choice) ? '☑' : '☐'}</i>{choice.label}{#if choice.about}<small
            >{choice.about}</small
          >{/if}
      </div>
    {/each}
    {#if missed}<p role="alert">
        Nothing is called “{missed}”{oncreate ? '; type it again and press Enter to make it' : ''}
      </p>{/if}
    {#if shown.length === 0 && typed}<p>{oncreate ? `Enter adds “${typed}”` : 'Nothing is called that'}</p>{/if}
    {#if found.length > most}<p>The first {most} are shown; type to narrow.</p>{/if}
    <p class="hint">Enter takes · Tab is done</p>
  </div>
</div>

<style>
  .editor {
    position: relative;
    width: 100%;
  }
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 3px;
    min-height: 28px;
    padding: 2px 4px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .chip {
    padding: 0 6px;
    font-size: 12px;
    line-height: 20px;
    background: var(--woad-tint);
    border-radius: 3px;
  }
  input {
    flex: 1;
    min-width: 60px;
    padding: 0 4px;
    font: inherit;
    background: transparent;
    border: 0;
    outline: none;
  }
  .list {
    position: absolute;
    top: 100%;
    left: 0;
    z-index: 15;
    min-width: 100%;
    max-height: 260px;
    overflow: auto;
    padding: 3px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  [role='option'] {
    padding: 3px 8px;
    line-height: 20px;
    white-space: nowrap;
    border-radius: 3px;
    cursor: pointer;
  }
  [role='option'] i {
    margin-right: 6px;
    font-style: normal;
  }
  small {
    margin-left: 10px;
    color: var(--ink-faint);
  }
  .at {
    background: var(--woad-tint);
  }
  p {
    padding: 3px 8px;
    color: var(--ink-faint);
    font-size: 12px;
    line-height: 18px;
  }
</style>
