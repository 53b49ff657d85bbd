<script lang="ts">
  import { onMount } from 'svelte';
  import { page } from '$app/state';
  import Button from '../controls/Button.svelte';
  import { tour, tourSteps } from './tour.svelte';

  /** The step of the tour that one is at, beside what it is about; Escape or the button leaves it. */
  const { root }: { root: string } = $props();
  const steps = tourSteps();
  const step = $derived(tour.step === null ? undefined : steps[tour.step]);
  const last = $derived(tour.step === steps.length - 1);
  let card = $state<HTMLElement | null>(null);

  onMount(() => tour.resume());

  /** What a step is about, where it is on the page; who may not go there has no such station. */
  const placeOf = (at: string | null): HTMLAnchorElement | undefined =>
    [...document.querySelectorAll<HTMLAnchorElement>(`nav.rail ${at === null ? '.tables' : ''} a`)].find(
      (one) => at === null || one.getAttribute('href') === root + at,
    );

  // What is pointed at carries the mark itself, so that it moves and scrolls with it.
  $effect(() => {
    void page.url.href;
    const place = step && placeOf(step.at);
    if (!place) return;
    place.classList.add('toured');
    place.scrollIntoView({ block: 'nearest' });
    return () => place.classList.remove('toured');
  });
  $effect(() => {
    if (step) card?.focus();
  });

  function key(event: KeyboardEvent) {
    if (event.key === 'Escape') tour.leave();
    else if (event.key === 'ArrowRight' && !last) tour.go((tour.step ?? 0) + 1);
    else if (event.key === 'ArrowLeft' && tour.step) tour.go(tour.step - 1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

{#if step && tour.step !== null}
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <section bind:this={card} aria-label="Tour" tabindex="-1" onkeydown={key}>
    <p class="count">Step {tour.step + 1} of {steps.length}</p>
    <h2>{step.title}</h2>
    <p aria-live="polite">{step.text}</p>
    <div class="ways">
      <Button kind="quiet" onclick={() => tour.leave()}>Leave the tour</Button>
      {#if tour.step > 0}<Button onclick={() => tour.go((tour.step ?? 1) - 1)}>Back</Button>{/if}
      <span class="next">
        {#if last}<Button kind="main" onclick={() => tour.leave()}>Begin</Button>
        {:else}<Button kind="main" onclick={() => tour.go((tour.step ?? 0) + 1)}>Next</Button>{/if}
      </span>
    </div>
  </section>
{/if}

<style>
  section {
    position: fixed;
    bottom: 20px;
    left: 216px;
    z-index: 25;
    width: min(380px, calc(100vw - 32px));
    padding: 16px 18px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-left: 5px solid var(--weld);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
    outline: none;
  }
  .count {
    color: var(--ink-soft);
    font-size: 12px;
  }
  h2 {
    margin: 2px 0 6px;
    font-size: 16px;
    font-weight: 600;
  }
  .ways {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-top: 12px;
  }
  .next {
    margin-left: auto;
  }
  :global(nav.rail a.toured) {
    outline: 2px solid var(--weld);
    outline-offset: -2px;
  }
  @media (max-width: 700px) {
    section {
      left: 16px;
      bottom: 12px;
    }
  }
</style>
