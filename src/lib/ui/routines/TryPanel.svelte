<script lang="ts">
  import type { Written } from '$core/filled/written';
  import Button from '../controls/Button.svelte';
  import Combo from '../controls/Combo.svelte';
  import { titleChoices } from '../fieldTypes/editors/linkChoices';
  import InputsAsked from './InputsAsked.svelte';
  import type { RoutineDesign, Trial } from './routineDesign.svelte';
  import StepsDone from './StepsDone.svelte';

  /** A routine is done for a real record and rolled back: what would come of it, step by step. */
  const {
    design,
    ontried,
    onrefused,
  }: {
    design: RoutineDesign;
    ontried: () => void;
    onrefused: (problem: { message: string }) => void;
  } = $props();
  const { workspace, table } = $derived(design.ground);
  let record = $state.raw<{ id: number; title: string } | null>(null);
  let inputs = $state.raw<Written>({});
  const asked = $derived(design.routine?.when.on === 'button' ? design.routine.when.inputs : []);

  async function tryIt() {
    if (!record) return;
    const trial: Trial = { record: record.id, inputs };
    const answer = await design.try(trial);
    if (answer.ok) ontried();
    else onrefused(answer.problem);
  }
  const href = (label: string, id: number): string | null => {
    const found = design.ground.model.tables.find((one) => one.label === label && one.home === undefined);
    // What was made in the try is gone again.
    return found && found.id === table.id ? `/w/${workspace}/t/${found.key}/r/${id}` : null;
  };
</script>

<p class="soft">
  It is done for a real record and undone at once: nothing stays, and nothing is sent. What was tried so, and went well,
  may be switched on.
</p>
<div class="asked">
  <span class="label">Record of {table.label}</span>
  {#key record?.id}
    <Combo
      start={record?.title ?? ''}
      choices={(typed) => titleChoices(workspace, table.key, typed)}
      label="Record to try it on"
      inForm
      autofocus={false}
      oncommit={(choice) => choice && (record = choice.value as { id: number; title: string })}
    />
  {/key}
</div>
{#if asked.length > 0}
  <InputsAsked
    {workspace}
    model={design.ground.model}
    inputs={asked}
    values={inputs}
    onchange={(next) => (inputs = next)}
  />
{/if}
<p class="go">
  <Button
    kind="main"
    disabled={record === null || design.problem !== null || design.busy !== ''}
    onclick={() => void tryIt()}>{design.busy === 'trying' ? 'Trying …' : 'Try it'}</Button
  >
  {#if design.problem}<span class="soft">Finish it first: {design.problem.message}</span>{/if}
</p>
{#if design.tried}
  {@const { met, problem, steps } = design.tried}
  <div class="came" role="status">
    {#if !design.isTried && problem === null}<p class="soft">It was changed since it was tried.</p>{/if}
    {#if problem}<p class="problem"><b>It cannot be done:</b> {problem.message} {problem.fix ?? ''}</p>
    {:else if !met}<p class="problem">
        This record does not meet the condition, so nothing is done. Try it on one that does.
      </p>
    {:else}<p class="good">It works. This would be done:</p>{/if}
    <StepsDone {steps} {href} tried />
  </div>
{/if}

<style>
  .soft {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .asked {
    margin: 12px 0;
  }
  .asked :global(.combo) {
    height: 32px;
  }
  .label {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .go {
    display: flex;
    gap: 10px;
    align-items: center;
    margin: 10px 0;
  }
  .came {
    padding-top: 10px;
    border-top: 1px solid var(--line);
  }
  .came > p {
    margin-bottom: 8px;
  }
  .problem {
    color: var(--madder);
  }
  .good {
    color: var(--woad);
    font-weight: 600;
  }
</style>
