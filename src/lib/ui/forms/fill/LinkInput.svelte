<script lang="ts">
  import Combo, { type Choice } from '../../controls/Combo.svelte';

  /** Records that are chosen by their titles: one, or several that stand above the line they are chosen in. */
  const {
    id,
    label,
    value,
    many,
    choices,
    onchange,
  }: {
    id: string;
    label: string;
    value: unknown;
    many: boolean;
    choices: (typed: string) => Promise<readonly Choice[]>;
    onchange: (value: unknown) => void;
  } = $props();
  interface Chosen {
    readonly id: number;
    readonly title?: string;
    readonly name?: string;
  }
  const chosen = $derived<readonly Chosen[]>((Array.isArray(value) ? value : value == null ? [] : [value]) as Chosen[]);
  let turns = $state(0);
  let missed = $state('');

  function take(choice: Choice | null, typed: string) {
    missed = choice === null && typed.trim() !== '' ? typed.trim() : '';
    if (choice === null) return;
    const one = choice.value as Chosen;
    if (!many) onchange(one);
    else if (!chosen.some((other) => other.id === one.id)) onchange([...chosen, one]);
    turns++;
  }
  const takeOut = (one: Chosen) => onchange(many ? chosen.filter((other) => other.id !== one.id) : null);
</script>

<div class="links" {id} role="group" aria-label={label}>
  {#each chosen as one (one.id)}
    <span class="chosen"
      >{one.title ?? one.name ?? `#${one.id}`}<button
        type="button"
        onclick={() => takeOut(one)}
        aria-label="Take {one.title ?? one.name ?? one.id} out">×</button
      ></span
    >
  {/each}
  {#if many || chosen.length === 0}
    {#key turns}
      <div class="line">
        <Combo start="" {choices} {label} inForm autofocus={many && turns > 0} oncommit={take} />
      </div>
    {/key}
  {/if}
  {#if missed}<p role="status">“{missed}” was not taken: choose one from the list.</p>{/if}
</div>

<style>
  .links {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  .line {
    flex: 1 0 180px;
    height: 40px;
  }
  .line :global(.combo) {
    height: 100%;
  }
  .chosen {
    display: flex;
    gap: 4px;
    align-items: center;
    min-height: 40px;
    padding: 0 4px 0 12px;
    background: var(--woad-tint);
    border-radius: var(--radius);
  }
  .chosen button {
    min-width: 30px;
    min-height: 30px;
  }
  p {
    flex: 0 0 100%;
    color: var(--weld);
    font-size: 13px;
  }
</style>
