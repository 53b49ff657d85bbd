<script lang="ts">
  import type { Snippet } from 'svelte';
  import Sides from '../controls/Sides.svelte';
  import { useFrame } from '../frame/context';

  /** The pages about routines: what there is, what ran, what was sent. */
  const { side, head, children }: { side: 'routines' | 'runs' | 'sent'; head?: Snippet; children: Snippet } = $props();
  const { workspace } = useFrame();
  const root = $derived(`/w/${workspace.key}/routines`);
  const purposes = {
    routines: 'Repeated steps that run by themselves when something happens, or at the press of a button.',
    runs: 'What ran, the newest first: what set it off, what each step did, how long it took.',
    sent: 'Messages and calls of routines: sent, waiting for their next try, or failed.',
  };
</script>

<section>
  <header>
    <div>
      <h1>Routines</h1>
      <p>{purposes[side]}</p>
    </div>
    <Sides
      label="Sides of routines"
      sides={[
        { label: 'All routines', href: root, shown: side === 'routines' },
        { label: 'Runs', href: `${root}/runs`, shown: side === 'runs' },
        { label: 'Sent', href: `${root}/sent`, shown: side === 'sent' },
      ]}
    />
    {@render head?.()}
  </header>
  {@render children()}
</section>

<style>
  section {
    flex: 1;
    min-width: 0;
    padding: 22px 32px;
    overflow: auto;
  }
  header {
    display: flex;
    flex-wrap: wrap;
    gap: 10px 16px;
    align-items: center;
    max-width: 1100px;
    margin-bottom: 16px;
  }
  header div {
    flex: 1 1 320px;
  }
  h1 {
    font-size: 24px;
  }
  p {
    color: var(--ink-soft);
  }
  @media (max-width: 700px) {
    section {
      padding: 14px;
    }
  }
</style>
