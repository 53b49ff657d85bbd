<script lang="ts">
  import { findTable } from '$core/model/model';
  import type { Model } from '$core/types/model';
  import { weaveWords, type Weave } from '$core/weave/weave';

  /** The map in words: each table with its fields, its links and what is calculated in it from what. */
  const { model, weave, onchoose }: { model: Model; weave: Weave; onchoose: (table: string) => void } = $props();
  const labels = (id: string) =>
    (findTable(model, id)?.fields ?? [])
      .filter(({ off }) => !off)
      .map(({ label }) => label)
      .join(', ');
</script>

<div class="list">
  {#each weaveWords(model, weave) as { table, links, calculated, written } (table.id)}
    <section style:--dye="var(--dye-{table.dye})">
      <h2>
        <button onclick={() => onchoose(table.id)}
          >{table.home === null ? table.label : `${table.home}: ${table.label}`}</button
        >
      </h2>
      <p>{labels(table.id)}</p>
      <ul>
        {#each links as words, index (index)}<li>{words}</li>{:else}<li class="none">linked with nothing</li>{/each}
        {#each calculated as words, index (index)}<li>ƒ {words}</li>{/each}
        {#each written as words, index (index)}<li>↻ {words}</li>{/each}
      </ul>
    </section>
  {/each}
</div>

<style>
  .list {
    flex: 1;
    overflow: auto;
    padding: 14px;
  }
  section {
    max-width: 900px;
    padding: 4px 14px 10px;
    margin-bottom: 10px;
    background: var(--raised);
    border-left: 5px solid var(--dye);
  }
  h2 {
    font-size: 15px;
  }
  p {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .none {
    color: var(--ink-faint);
    font-size: 13px;
  }
</style>
