<script lang="ts">
  import type { Problem } from '$core/base/problem';

  /** Why what was typed is no value, below its editor. */
  const { problem }: { problem: Problem | null } = $props();
</script>

{#if problem}<p class="why" role="alert"><b>{problem.message}</b> {problem.fix ?? ''}</p>{/if}

<style>
  .why {
    position: absolute;
    top: 100%;
    left: 0;
    z-index: 20;
    width: max-content;
    max-width: 320px;
    padding: 4px 8px;
    line-height: 1.35;
    white-space: normal;
    text-align: left;
    background: var(--madder-tint);
    border-left: 3px solid var(--madder);
  }
</style>
