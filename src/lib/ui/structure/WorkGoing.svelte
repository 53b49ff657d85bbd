<script lang="ts">
  import { say } from '$core/base/say';
  import type { Work, WorkPhase } from '$server/database/progress';
  import Button from '../controls/Button.svelte';

  /** How far a long change is, with a way to stop it. */
  const { work, onstop }: { work: Work; onstop: () => void } = $props();
  const words: Record<WorkPhase, string> = {
    copy: 'copying, so that people can go on reading',
    change: 'changing',
    rules: 'building indexes and checking links and rules',
    calculation: 'calculating what follows',
    exchange: 'putting it in place',
  };
  const order: WorkPhase[] = ['copy', 'change', 'rules', 'calculation', 'exchange'];
  const share = $derived((order.indexOf(work.phase) + work.done / Math.max(1, work.of)) / order.length);
</script>

<div class="work" role="status">
  <p>{say(words[work.phase])}{work.of > 1 ? `, ${work.done + 1} of ${work.of}` : ''} · {Math.round(work.seconds)} s</p>
  <progress value={share} max="1" aria-label="How far it is"></progress>
  <Button kind="quiet" onclick={onstop}>Stop; keep nothing of it</Button>
</div>

<style>
  .work {
    display: grid;
    gap: 6px;
    justify-items: start;
    padding: 8px 0;
    font-size: 13px;
  }
  progress {
    width: 100%;
    height: 6px;
    accent-color: var(--woad);
  }
</style>
