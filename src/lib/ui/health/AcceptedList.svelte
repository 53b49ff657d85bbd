<script lang="ts">
  import type { Table } from '$core/types/model';
  import { agoWords, counted } from '../values/words';
  import type { Accepted } from './finding';

  /** What was accepted, by whom and why; each can be found again. */
  const {
    tables,
    mayAccept,
    onundo,
  }: {
    tables: readonly { table: Table; accepted: readonly Accepted[] }[];
    mayAccept: boolean;
    onundo: (table: Table, one: Accepted) => void;
  } = $props();
  const count = $derived(tables.reduce((sum, { accepted }) => sum + accepted.length, 0));
  const of = ({ condition, records, lost }: Accepted) =>
    lost
      ? 'a condition that uses a deleted field: nothing is accepted by it'
      : condition !== null
        ? `where ${condition}`
        : records
          ? counted(records.length, 'record')
          : 'all records';
</script>

<details>
  <summary>{counted(count, 'accepted finding')}</summary>
  <ul>
    {#each tables as { table, accepted } (table.id)}
      {#each accepted as one (one.id)}
        <li style:--dye="var(--dye-{table.dye})">
          <span class="what"><b>{table.label}</b> · {one.words} <span class="soft">({of(one)})</span></span>
          <span>“{one.reason}”</span>
          <span class="soft">{one.by}, {agoWords(one.at)}</span>
          {#if mayAccept}<button
              aria-label="Undo accepting {table.label} {one.words}"
              onclick={() => onundo(table, one)}>Undo</button
            >{/if}
        </li>
      {/each}
    {/each}
  </ul>
</details>

<style>
  details {
    margin-top: 26px;
    font-size: 13px;
  }
  summary {
    color: var(--ink-soft);
    cursor: pointer;
  }
  li {
    display: grid;
    grid-template-columns: 1.4fr 1fr auto auto;
    gap: 14px;
    margin-top: 4px;
    padding: 6px 8px;
    border-top: 1px solid var(--line);
    border-left: 4px solid var(--dye);
    overflow-wrap: anywhere;
  }
  .soft {
    color: var(--ink-soft);
  }
  button {
    color: var(--woad);
  }
  @media (max-width: 800px) {
    li {
      grid-template-columns: 1fr;
      gap: 2px;
    }
  }
</style>
