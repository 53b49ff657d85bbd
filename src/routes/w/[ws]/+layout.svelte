<script lang="ts">
  import { untrack } from 'svelte';
  import { invalidate } from '$app/navigation';
  import Frame from '$ui/frame/Frame.svelte';
  import { provideFrame } from '$ui/frame/context';
  import { LiveChanges } from '$ui/frame/live.svelte';
  import { Notices } from '$ui/frame/notices.svelte';

  const { data, children } = $props();
  const live = new LiveChanges();
  provideFrame({
    live,
    notices: new Notices(),
    get workspace() {
      return data.workspace;
    },
  });

  const key = $derived(data.workspace.key);
  $effect(() => live.listen(key));
  // The rail's counts and the model follow every change; several within a moment are one.
  let waiting: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    if (live.count === 0) return;
    untrack(() => {
      clearTimeout(waiting);
      waiting = setTimeout(() => void invalidate('loom:model'), 150);
    });
  });
</script>

<Frame workspace={data.workspace} model={data.model} counts={data.counts} person={data.person} workspaces={data.workspaces}>
  {@render children()}
</Frame>
