<script lang="ts">
  import { untrack } from 'svelte';
  import { inLanguage } from '$core/languages/texts';
  import { navigating, page } from '$app/state';
  import Frame from '$ui/frame/Frame.svelte';
  import { provideFrame } from '$ui/frame/context';
  import { call, workspacePath } from '$ui/api';
  import { LiveChanges } from '$ui/frame/live.svelte';
  import { Notices } from '$ui/frame/notices.svelte';
  import { UnsentEdits } from '$ui/frame/unsent.svelte';
  import { renewed } from '$ui/renewed';

  const { data, children } = $props();
  const live = new LiveChanges();
  const unsent = new UnsentEdits(() => `${data.person.email} ${data.workspace.key}`);
  const health = $state<{ count: number | null }>({ count: null });
  provideFrame({
    live,
    health,
    notices: new Notices(),
    unsent,
    get workspace() {
      return data.workspace;
    },
  });

  const key = $derived(data.workspace.key);
  $effect(() => live.listen(key));
  $effect(() => {
    if (key) untrack(() => unsent.begin());
  });
  // Pages with records say themselves where one is in them.
  $effect(() => {
    if (!page.url.pathname.includes('/t/')) live.at({ table: null, record: null, field: null });
  });
  // Back on the line, what waits is sent at once.
  $effect(() => {
    if (live.connected) untrack(() => unsent.waiting.length > 0 && void unsent.send());
  });
  $effect(() => {
    const looked = key;
    health.count = null;
    void call<{ count: number }>('GET', workspacePath(looked, '/findings')).then((answer) => {
      if (answer.ok && looked === key) health.count = answer.value.count;
    });
  });
  // The rail's counts and the model follow every change; several within a moment are one.
  let waiting: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    if (live.count === 0) return;
    untrack(() => {
      clearTimeout(waiting);
      waiting = setTimeout(refresh, 150);
    });
  });

  /** Asking anew would break a way to another page off, so it waits until that is done. */
  function refresh() {
    if (navigating.to) waiting = setTimeout(refresh, 150);
    else void renewed('loom:model');
  }
</script>

<Frame
  workspace={data.workspace}
  model={inLanguage(data.model, data.language)}
  counts={data.counts}
  setAside={data.setAside}
  person={data.person}
  workspaces={data.workspaces}
>
  {@render children()}
</Frame>
