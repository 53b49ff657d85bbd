<script lang="ts">
  import type { NearTarget } from '$server/intake/load/nearTargets';
  import { call } from '../api';
  import Button from '../controls/Button.svelte';
  import { counted } from '../values/words';

  /**
   * Texts of a link column that find no target, each with what may be meant, confirmed by keyboard alone: the arrows
   * walk, 1 to 3 confirm a candidate, Enter the first one, Delete clears it.
   */
  const {
    path,
    sheet,
    column,
    confirmed,
    onconfirm,
  }: {
    /** The intake's address in the API. */
    path: string;
    sheet: number;
    column: number;
    confirmed: readonly { readonly from: string; readonly to: string }[];
    onconfirm: (replace: { from: string; to: string }[]) => void;
  } = $props();

  const shown = 200;
  let found = $state.raw<{ texts: readonly NearTarget[]; missing: number; near: number } | null>(null);
  let failed = $state('');
  let at = $state(0);
  let list = $state<HTMLElement | null>(null);
  // What was confirmed here waits for the button, so that one after the other is looked at without the page being made
  // anew.
  let waiting = $state<Record<string, string>>({});
  const chosen = $derived({ ...Object.fromEntries(confirmed.map(({ from, to }) => [from, to])), ...waiting });
  const changed = $derived(Object.keys(waiting).length > 0);
  const withNear = $derived(found?.texts.filter(({ candidates }) => candidates.length > 0) ?? []);
  const alike = $derived(
    withNear.filter(
      ({ text, candidates: [first, second] }) =>
        first?.score === 1 && second?.score !== 1 && chosen[text] === undefined,
    ),
  );
  const strangers = $derived(found ? found.missing - found.near : 0);

  $effect(() => {
    const asked = `${path}/near?sheet=${sheet}&column=${column}&limit=${shown}`;
    let gone = false;
    void call<NonNullable<typeof found>>('GET', asked).then((answer) => {
      if (gone) return;
      if (answer.ok) found = answer.value;
      else failed = [answer.problem.message, answer.problem.fix].join(' ');
    });
    return () => (gone = true);
  });

  function take(text: string, to: string | undefined) {
    if (to !== undefined) waiting = { ...waiting, [text]: to };
  }
  function leave(text: string) {
    const { [text]: _, ...rest } = waiting;
    waiting = confirmed.some(({ from }) => from === text) ? { ...rest, [text]: text } : rest;
  }
  function walk(event: KeyboardEvent) {
    const one = withNear[at];
    if (!one) return;
    const { key } = event;
    if (key === 'ArrowDown' || key === 'ArrowUp')
      at = Math.max(0, Math.min(withNear.length - 1, at + (key === 'ArrowDown' ? 1 : -1)));
    else if (key === 'Enter' || key === ' ') {
      take(one.text, one.candidates[0]?.key);
      at = Math.min(withNear.length - 1, at + 1);
    } else if (/^[1-3]$/.test(key) && one.candidates[Number(key) - 1]) {
      take(one.text, one.candidates[Number(key) - 1]?.key);
      at = Math.min(withNear.length - 1, at + 1);
    } else if (key === 'Delete' || key === 'Backspace') leave(one.text);
    else return;
    event.preventDefault();
    list?.querySelector<HTMLElement>(`[data-at="${at} 0"]`)?.focus();
  }
  function confirm() {
    onconfirm(Object.entries(chosen).flatMap(([from, to]) => (from === to ? [] : [{ from, to }])));
  }
</script>

{#if failed}<p class="soft">{failed}</p>
{:else if !found}<p class="soft" role="status">Looking for what may be meant …</p>
{:else}
  {#if withNear.length > 0}
    <p>{counted(found.near, 'text')} may mean another one:</p>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <ul class="list" bind:this={list} aria-label="Texts that may mean another one" onkeydown={walk}>
      {#each withNear as { text, count, candidates }, index (text)}
        <li class="one" class:at={index === at}>
          <span class="text"><code>{text}</code> <span class="soft">{counted(count, 'row')}</span></span>
          {#each candidates as { key, title, score }, place (key)}
            <button
              type="button"
              data-at="{index} {place}"
              tabindex={index === at && place === 0 ? 0 : -1}
              class:taken={chosen[text] === key}
              aria-pressed={chosen[text] === key}
              aria-label="{text} means {key}"
              onclick={() => ((at = index), chosen[text] === key ? leave(text) : take(text, key))}
              ><kbd>{place + 1}</kbd>
              {key}{title === key ? '' : ` ${title}`}
              <span class="soft"
                >{score === 1 ? 'alike but for case, blanks or signs' : `${Math.round(score * 100)} % alike`}</span
              ></button
            >
          {/each}
        </li>
      {/each}
    </ul>
    {#if found.near > withNear.length}<p class="soft">
        The {withNear.length} nearest of {found.near.toLocaleString()} are shown.
      </p>{/if}
    <p class="soft keys">↑ ↓ walk · 1 2 3 or Enter confirm · Delete undoes</p>
    <div class="do">
      {#if alike.length > 0}<Button
          onclick={() => alike.forEach(({ text, candidates }) => take(text, candidates[0]?.key))}
          >Confirm {counted(alike.length, 'text')} alike but for case and signs</Button
        >{/if}
      <Button kind="main" disabled={!changed} onclick={confirm}>Use what is confirmed</Button>
    </div>
  {/if}
  {#if strangers > 0}
    <p class="soft">{counted(strangers, 'text')} {strangers === 1 ? 'is' : 'are'} near to nothing:</p>
    <ul>
      {#each found.texts.filter(({ candidates }) => candidates.length === 0).slice(0, 12) as { text, count } (text)}<li>
          <code>{text}</code><span class="soft">{counted(count, 'row')}</span>
        </li>{/each}
    </ul>
    {#if strangers > 12}<p class="soft">12 of {strangers.toLocaleString()} are shown.</p>{/if}
  {:else if withNear.length === 0}<p class="soft">Every text finds its record.</p>{/if}
{/if}

<style>
  .list {
    max-height: 300px;
    overflow-y: auto;
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .one {
    display: grid;
    gap: 2px;
    padding: 4px 8px;
    font-size: 13px;
    border-bottom: 1px solid var(--line);
    border-left: 3px solid transparent;
  }
  .at {
    border-left-color: var(--woad);
    background: var(--woad-tint);
  }
  .text {
    display: flex;
    justify-content: space-between;
  }
  .one button {
    padding: 1px 6px;
    text-align: left;
    border: 1px solid transparent;
    border-radius: var(--radius);
  }
  .one button:hover {
    border-color: var(--line-strong);
  }
  .taken {
    color: var(--lichen);
    font-weight: 600;
    background: var(--lichen-tint);
  }
  kbd {
    padding: 0 4px;
    font: 11px var(--mono);
    color: var(--ink-soft);
    border: 1px solid var(--line-strong);
    border-radius: 3px;
  }
  .soft {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 400;
  }
  .at .soft {
    color: var(--ink-soft);
  }
  .keys {
    margin: 4px 0;
  }
  .do {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
  }
  ul:not(.list) li {
    display: flex;
    justify-content: space-between;
    font-size: 13px;
    border-bottom: 1px solid var(--line);
  }
</style>
