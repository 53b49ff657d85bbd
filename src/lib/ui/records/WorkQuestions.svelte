<script lang="ts">
  import ClashQuestion from './ClashQuestion.svelte';
  import ReachQuestion from './ReachQuestion.svelte';
  import type { RecordWork } from './recordWork.svelte';

  /** What an edit of records asks before it is done, wherever records are edited: nothing that was typed goes unanswered. */
  const { work }: { work: RecordWork } = $props();
</script>

<ClashQuestion {work} />
<ReachQuestion {work} />
