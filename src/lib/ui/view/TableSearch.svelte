<script lang="ts">
  import Search from '@lucide/svelte/icons/search';
  import { untrack } from 'svelte';
  import type { Table } from '$core/types/model';
  import { call, workspacePath } from '../api';

  /**
   * Search over a table that offers where to look as one types: its records by title, and conditions such as “Keeper is
   * Ida Vale”.
   */
  const {
    workspace,
    table,
    onopen,
    onfilter,
  }: {
    workspace: string;
    table: Table;
    onopen: (id: number) => void;
    /** Narrows what is shown by one more condition. */
    onfilter: (condition: string) => void;
  } = $props();

  interface Answered {
    readonly records: readonly { readonly id: number; readonly title: string; readonly near: boolean }[];
    readonly suggestions: readonly {
      readonly field: string;
      readonly label: string;
      readonly value: string;
      readonly filter: string;
      readonly near: boolean;
    }[];
  }
  type Offer =
    | { readonly kind: 'record'; readonly id: number; readonly title: string; readonly near: boolean }
    | ({ readonly kind: 'condition' } & Answered['suggestions'][number]);
  const listId = $props.id();
  let input = $state<HTMLInputElement | null>(null);
  let typed = $state('');
  let offers = $state.raw<readonly Offer[]>([]);
  let at = $state(0);
  let open = $state(false);
  let asked = 0;
  let wait: ReturnType<typeof setTimeout> | undefined;
  /** Keys that follow each other faster ask once. */
  const pause = 60;

  function look() {
    clearTimeout(wait);
    wait = setTimeout(() => void read(), pause);
  }

  async function read() {
    const mine = ++asked;
    const text = untrack(() => typed.trim());
    if (text === '') return void (offers = []);
    const answer = await call<Answered>(
      'GET',
      workspacePath(workspace, `/tables/${table.key}/search?${new URLSearchParams({ q: text, limit: '8' })}`),
    );
    if (mine !== asked || !answer.ok) return;
    const { records, suggestions } = answer.value;
    offers = [
      ...suggestions.map((one) => ({ kind: 'condition', ...one }) as const),
      ...records.map((one) => ({ kind: 'record', ...one }) as const),
    ];
    [at, open] = [0, true];
  }

  function take(offer: Offer | undefined) {
    if (!offer) return;
    [typed, offers, open] = ['', [], false];
    if (offer.kind === 'record') onopen(offer.id);
    else onfilter(offer.filter);
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') at = Math.min(at + 1, offers.length - 1);
    else if (event.key === 'ArrowUp') at = Math.max(0, at - 1);
    else if (event.key === 'Enter') take(offers[at]);
    else if (event.key === 'Escape' && (open || typed)) [typed, offers, open] = ['', [], false];
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<svelte:window
  onkeydown={(event) => {
    if (
      event.key !== '/' ||
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      (event.target as Element).closest('input, textarea, select, [role=grid], [contenteditable]')
    )
      return;
    event.preventDefault();
    input?.focus();
  }}
/>

<div class="search">
  <Search size={14} />
  <input
    bind:this={input}
    bind:value={typed}
    oninput={look}
    onfocus={() => (open = offers.length > 0)}
    onblur={() => (open = false)}
    onkeydown={key}
    role="combobox"
    aria-label="Search in {table.label}"
    aria-expanded={open}
    aria-controls={listId}
    aria-activedescendant={open && offers[at] ? `${listId}-${at}` : undefined}
    placeholder="Search in {table.label}"
    autocomplete="off"
    spellcheck="false"
  />
  {#if open}
    <div id={listId} class="list" role="listbox" aria-label="What it may mean">
      {#each offers as offer, index (offer.kind === 'record' ? `r${offer.id}` : offer.filter)}
        <!-- Pointer down, not click: the input loses its focus before a click. -->
        <div
          id="{listId}-{index}"
          role="option"
          tabindex="-1"
          aria-selected={index === at}
          onpointerdown={(event) => (event.preventDefault(), take(offer))}
          onpointerenter={() => (at = index)}
        >
          {#if offer.kind === 'condition'}<span><i>{offer.label} is</i> {offer.value}</span><small
              >show these{offer.near ? ', nearly that' : ''}</small
            >
          {:else}<span>{offer.title}</span><small>open{offer.near ? ', nearly that' : ''}</small>{/if}
        </div>
      {:else}<p>Nothing here is called that, nor nearly.</p>{/each}
    </div>
  {/if}
</div>

<style>
  .search {
    position: relative;
    display: flex;
    gap: 6px;
    align-items: center;
    width: 230px;
    padding: 0 8px;
    color: var(--ink-faint);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .search:focus-within {
    outline: 2px solid var(--woad);
    outline-offset: -1px;
  }
  input {
    width: 100%;
    padding: 3px 0;
    font-size: 13px;
    color: var(--ink);
    background: transparent;
    border: 0;
    outline: none;
    box-shadow: none;
  }
  .list {
    position: absolute;
    top: calc(100% + 2px);
    right: 0;
    z-index: 30;
    min-width: 320px;
    max-height: 60vh;
    overflow: auto;
    padding: 4px;
    font-size: 13px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  [role='option'] {
    display: flex;
    gap: 20px;
    justify-content: space-between;
    padding: 4px 8px;
    border-radius: 3px;
    cursor: pointer;
  }
  [aria-selected='true'] {
    background: var(--woad-tint);
  }
  [aria-selected='true'] small {
    color: var(--ink-soft);
  }
  i {
    color: var(--ink-soft);
    font-style: normal;
  }
  small,
  p {
    color: var(--ink-faint);
    white-space: nowrap;
  }
  p {
    padding: 4px 8px;
  }
  @media (max-width: 800px) {
    .search {
      width: 130px;
    }
  }
</style>
