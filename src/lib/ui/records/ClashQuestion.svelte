<script lang="ts">
  import Button from '../controls/Button.svelte';
  import { editText } from '../values/show';
  import type { RecordWork } from './recordWork.svelte';

  /** Somebody saved the record while one wrote: both values of each field, for the person to choose. */
  const { work }: { work: RecordWork } = $props();
</script>

{#if work.clash}
  <div class="clash" role="alert">
    <span
      >Somebody changed {work.titleOf(work.clash.record)} while you wrote.
      {#each work.clash.fields as { field, theirs, yours } (field)}<code>{field}</code>: theirs
        <b>{editText(theirs) || 'blank'}</b>, yours
        <b>{editText(yours) || 'blank'}</b>.{/each}</span
    >
    <Button kind="main" onclick={() => work.settle(true)}>Write mine</Button><Button onclick={() => work.settle(false)}
      >Keep theirs</Button
    >
  </div>
{/if}

<style>
  .clash {
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 8px 14px;
    background: var(--weld-tint);
    border-bottom: 1px solid var(--weld);
  }
  span {
    flex: 1;
  }
</style>
