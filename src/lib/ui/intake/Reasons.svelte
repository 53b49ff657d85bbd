<script lang="ts">
  import type { Reason } from '$core/intake/columns/meaning';

  /** What speaks for and against what is proposed, the weightiest first. */
  const { reasons, of }: { reasons: readonly Reason[]; of: string } = $props();

  const sorted = $derived([...reasons].sort((a, b) => Math.abs(b.weight) - Math.abs(a.weight)));
  const sides = $derived([
    { side: `For ${of}`, of: sorted.filter(({ weight }) => weight > 0) },
    { side: `Against ${of}`, of: sorted.filter(({ weight }) => weight < 0) },
  ]);
</script>

{#each sides as { side, of: those } (side)}
  {#if those.length > 0}
    <p class="side">{side}:</p>
    <ul>
      {#each those as { says }, at (at)}<li>{says}</li>{/each}
    </ul>
  {/if}
{/each}

<style>
  .side {
    margin-top: 6px;
    color: var(--ink-faint);
  }
  ul {
    padding-left: 16px;
    list-style: disc;
    font-size: 13px;
  }
</style>
