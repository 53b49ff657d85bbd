<script lang="ts">
  import type { Written } from '$core/filled/written';
  import type { Model } from '$core/types/model';
  import Button from '../controls/Button.svelte';
  import { counted } from '../values/words';
  import type { RunByHand } from './buttons.svelte';
  import InputsAsked from './InputsAsked.svelte';

  /** What is asked before a routine is run by hand: its values, and whether it is meant for so many records. */
  const { runs, workspace, model }: { runs: RunByHand; workspace: string; model: Model } = $props();
  const { asked } = $derived(runs);
  let values = $state.raw<Written>({});
  const open = (node: HTMLDialogElement) => {
    values = {};
    node.showModal();
    node.querySelector<HTMLElement>('input, select, textarea')?.focus();
  };
  async function go(event: SubmitEvent) {
    event.preventDefault();
    if (asked && !runs.busy) await runs.run(asked.button, asked.records, values);
  }
</script>

{#if asked}
  <dialog {@attach open} aria-labelledby="run-asked" onclose={() => (runs.asked = null)}>
    <form onsubmit={(event) => void go(event)}>
      <h2 id="run-asked">{asked.button.label}</h2>
      <p>for {counted(asked.records.length, 'record')}</p>
      {#if asked.sends}<p role="alert">
          It would write to <b>{counted(asked.sends.count, 'recipient')}</b>. What is sent cannot be undone.
        </p>{/if}
      <InputsAsked
        {workspace}
        {model}
        inputs={runs.fieldsOf(asked.button)}
        {values}
        onchange={(next) => (values = next)}
      />
      <div class="steps">
        <Button kind="main" type="submit" disabled={runs.busy}
          >{runs.busy ? 'Running …' : asked.sends ? 'Run it and send' : 'Run it'}</Button
        >
        <Button onclick={() => (runs.asked = null)}>Cancel</Button>
      </div>
    </form>
  </dialog>
{/if}

<style>
  dialog {
    width: min(440px, calc(100vw - 32px));
    padding: 18px 22px;
    margin: 12vh auto auto;
    overflow: visible;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  dialog::backdrop {
    background: rgb(0 0 0 / 0.3);
  }
  h2 {
    font-size: 18px;
  }
  p {
    margin-bottom: 12px;
    color: var(--ink-soft);
  }
  .steps {
    display: flex;
    gap: 10px;
    margin-top: 16px;
  }
</style>
