<script lang="ts">
  import { findTable } from '$core/model/model';
  import type { Model } from '$core/types/model';
  import type { Weave } from '$core/weave/weave';

  /** Finds a table or a field of the map by part of its name; Enter takes the first. */
  const {
    model,
    weave,
    onfound,
  }: { model: Model; weave: Weave; onfound: (table: string, field: string | null) => void } = $props();
  const mostShown = 10;
  let sought = $state('');

  const hits = $derived.by(() => {
    const words = sought.trim().toLowerCase();
    if (words.length < 2) return [];
    return weave.tables.flatMap(({ id, label }) => [
      ...(label.toLowerCase().includes(words) ? [{ table: id, field: null, label }] : []),
      ...(findTable(model, id)?.fields ?? [])
        .filter((field) => !field.off && field.label.toLowerCase().includes(words))
        .map((field) => ({ table: id, field: field.id, label: `${label}.${field.label}` })),
    ]);
  });

  function take(hit: (typeof hits)[number] | undefined) {
    if (!hit) return;
    sought = '';
    onfound(hit.table, hit.field);
  }
</script>

<form class="search" role="search" onsubmit={(event) => (event.preventDefault(), take(hits[0]))}>
  <input
    bind:value={sought}
    placeholder="Find a table or a field"
    aria-label="Find a table or a field"
    autocomplete="off"
  />
  {#if hits.length > 0}
    <ul>
      {#each hits.slice(0, mostShown) as hit, index (index)}<li>
          <button type="button" onclick={() => take(hit)}>{hit.label}</button>
        </li>{/each}
      {#if hits.length > mostShown}<li class="more">{hits.length - mostShown} more</li>{/if}
    </ul>
  {/if}
</form>

<style>
  .search {
    position: relative;
  }
  input {
    width: clamp(150px, 20cqi, 220px);
    padding: 3px 10px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  ul {
    position: absolute;
    z-index: 20;
    width: 280px;
    padding: 4px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  button {
    width: 100%;
    padding: 3px 8px;
    text-align: left;
  }
  button:hover {
    background: var(--woad-tint);
  }
  .more {
    padding: 3px 8px;
    color: var(--ink-faint);
    font-size: 13px;
  }
</style>
