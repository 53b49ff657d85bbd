<script lang="ts">
  import { say } from '$core/base/say';
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { ownTables } from '$core/model/model';
  import type { Written } from '$core/filled/written';
  import { works } from '$core/transfer/works';
  import type { WorkName } from '$core/types/transfer';
  import { call, workspacePath } from '$ui/api';
  import { useFrame } from '$ui/frame/context';
  import { TransferDraft } from '$ui/transfer/transferDraft.svelte';
  import TransferPlan from '$ui/transfer/TransferPlan.svelte';
  import { workUis } from '$ui/transfer/works';

  const { data } = $props();
  const { notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const root = $derived(`/w/${workspace}`);
  const name = $derived(page.params.work as WorkName);
  const ui = $derived(workUis[name]);
  const Form = $derived(ui?.form);
  const draft = new TransferDraft(() => data.workspace.key);
  let accepted = $state(false);
  let begun = $state.raw<Written | null>(null);

  /** What the address says: where one came from, or a transfer that was begun before. */
  async function begin(params: URLSearchParams) {
    const id = params.get('id');
    if (id !== null) await draft.open(Number(id));
    const { records, tables, by, ...given } = Object.fromEntries(params) as Record<string, string>;
    begun = draft.shown?.transfer ?? {
      ...given,
      ...(records ? { records: records.split(',').map(Number) } : {}),
      ...(by ? { by: by.split(',') } : {}),
      ...(tables ? { sources: tables.split(',').map((table) => ({ table })) } : {}),
    };
  }
  $effect(() => {
    void name;
    untrack(() => void begin(page.url.searchParams));
  });

  async function undo(batch: number) {
    const answer = await call('POST', workspacePath(workspace, `/batches/${batch}/undo`));
    if (!answer.ok) return notices.refused(answer.problem);
    notices.done('Undone: everything is as it was.');
    await goto(`${root}/transfer`);
  }
  const want = (json: Written | null) => {
    if (draft.shown?.receipt) return;
    draft.want(json && accepted ? { ...json, accept: true } : json);
  };
</script>

<svelte:head><title>{works[name]?.label ?? 'Transfer'} · {data.workspace.label} · Inner Loom</title></svelte:head>
<div class="stage">
  <p class="way"><a href="{root}/transfer">Transfer</a></p>
  {#if Form && begun}
    <h1>{say(works[name].label)}</h1>
    <p class="help">{works[name].help}</p>
    <div class="two">
      <section aria-label="What is wanted" inert={draft.shown?.receipt ? true : undefined}>
        <Form
          {workspace}
          model={data.model}
          others={data.otherTables}
          workspaces={data.workspaces}
          {begun}
          shown={draft.shown}
          onwant={want}
        />
      </section>
      <TransferPlan
        {draft}
        {root}
        tables={ownTables(data.model).map(({ key }) => key)}
        does={ui.does}
        waits={ui.waits}
        onaccept={['merge', 'splitOff', 'foldIn', 'toRows'].includes(name)
          ? () => {
              accepted = true;
              if (draft.wanted) draft.want({ ...draft.wanted, accept: true });
            }
          : undefined}
        onundo={(batch) => void undo(batch)}
      />
    </div>
  {:else if begun}<p>There is no such work. <a href="{root}/transfer">All works</a></p>{/if}
</div>

<style>
  .stage {
    flex: 1;
    padding: 18px 32px;
    overflow: auto;
  }
  .way {
    font-size: 13px;
  }
  h1 {
    font-size: 22px;
  }
  .help {
    margin-bottom: 14px;
    color: var(--ink-soft);
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 28px;
    max-width: 1500px;
  }
  @media (max-width: 1000px) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
    .stage {
      padding: 16px;
    }
  }
</style>
