<script lang="ts">
  import { say } from '$core/base/say';
  import ChevronDown from '@lucide/svelte/icons/chevron-down';
  import ChevronUp from '@lucide/svelte/icons/chevron-up';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import { tick } from 'svelte';
  import { stepDescriptors } from '$core/routines/steps/registry';
  import type { StepKind } from '$core/types/routine';
  import { stepUis, type StepListProps } from './step';
  import StepList from './StepList.svelte';

  /** Steps one behind the other, each with its form; those within others stand in them. */
  const { model, design, scope, steps, place, onchange }: StepListProps = $props();
  const kinds = Object.keys(stepDescriptors) as StepKind[];
  let list = $state<HTMLOListElement | null>(null);

  /** What is wrong in a step itself, and not in one within it. */
  function problemAt(index: number) {
    const at = String(design.problem?.at ?? '');
    const own = `${place}/${index}`;
    return (at === own || at.startsWith(`${own}/`)) && !at.startsWith(`${own}/steps/`) ? design.problem : null;
  }
  async function add(kind: StepKind) {
    onchange([...steps, { do: kind, ...stepUis[kind].begin }]);
    await tick();
    list?.querySelector<HTMLElement>(':scope > li:last-of-type :is(select, input, textarea)')?.focus();
  }
  async function move(from: number, to: number) {
    const step = steps[from];
    if (!step || to < 0 || to >= steps.length) return;
    onchange(steps.toSpliced(from, 1).toSpliced(to, 0, step));
    await tick();
    list?.querySelectorAll<HTMLElement>(':scope > li')[to]?.focus();
  }
  function key(event: KeyboardEvent, index: number) {
    if (event.target !== event.currentTarget) return;
    if (event.altKey && event.key === 'ArrowUp') void move(index, index - 1);
    else if (event.altKey && event.key === 'ArrowDown') void move(index, index + 1);
    else if (event.key === 'Delete') onchange(steps.toSpliced(index, 1));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<ol bind:this={list} class="steps">
  {#each steps as step, index (index)}
    {@const kind = step.do as StepKind}
    {@const { icon: Icon, form: Form } = stepUis[kind]}
    {@const problem = problemAt(index)}
    <!-- A step is moved and deleted by keys while it has the focus itself. -->
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <li
      tabindex="0"
      aria-label="Step {index + 1}: {say(stepDescriptors[kind].label)}"
      class:wrong={problem !== null}
      onkeydown={(event) => key(event, index)}
    >
      <header>
        <span class="knot"><Icon size={15} /></span>
        <b>{say(stepDescriptors[kind].label)}</b>
        <span class="help">{stepDescriptors[kind].help}</span>
        <button
          type="button"
          aria-label="Move step {index + 1} up"
          title="Alt+↑"
          disabled={index === 0}
          onclick={() => void move(index, index - 1)}><ChevronUp size={16} /></button
        >
        <button
          type="button"
          aria-label="Move step {index + 1} down"
          title="Alt+↓"
          disabled={index === steps.length - 1}
          onclick={() => void move(index, index + 1)}><ChevronDown size={16} /></button
        >
        <button
          type="button"
          aria-label="Delete step {index + 1}"
          title="Delete"
          onclick={() => onchange(steps.toSpliced(index, 1))}><Trash2 size={15} /></button
        >
      </header>
      <Form
        {model}
        {design}
        Steps={StepList}
        scope={design.scopes.steps.get(`${place}/${index}`) ?? scope}
        {step}
        place="{place}/{index}"
        onchange={(next) => onchange(steps.with(index, next))}
      />
      {#if problem}<p class="problem" role="status">{problem.message} {problem.fix ?? ''}</p>{/if}
    </li>
  {/each}
  <li class="adding">
    <span class="knot open"></span>
    <select
      class="in-line"
      aria-label={steps.length === 0 ? 'Add a step' : 'Add another step'}
      value=""
      onchange={(event) => {
        void add(event.currentTarget.value as StepKind);
        event.currentTarget.value = '';
      }}
    >
      <option value="" disabled>{steps.length === 0 ? '+ step' : '+ another step'}</option>
      {#each kinds as kind (kind)}<option value={kind}>{say(stepDescriptors[kind].label)}</option>{/each}
    </select>
  </li>
</ol>

<style>
  /* One thread through all of them. */
  .steps {
    padding-left: 13px;
    margin-left: 13px;
    border-left: 2px solid var(--line-strong);
  }
  li {
    position: relative;
    padding: 8px 12px 10px 22px;
    margin-bottom: 10px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .wrong {
    border-color: var(--weld);
  }
  .adding {
    padding: 4px 0 4px 22px;
    margin-bottom: 0;
    background: none;
    border: 0;
  }
  header {
    display: flex;
    gap: 8px;
    align-items: baseline;
    margin-bottom: 4px;
  }
  .knot {
    position: absolute;
    top: 8px;
    left: -28px;
    display: grid;
    place-items: center;
    width: 27px;
    height: 27px;
    color: var(--woad);
    background: var(--woad-tint);
    border: 2px solid var(--woad);
    border-radius: 50%;
  }
  .open {
    top: 10px;
    left: -22px;
    width: 15px;
    height: 15px;
    background: var(--ground);
    border: 2px dashed var(--line-strong);
  }
  .help {
    flex: 1;
    color: var(--ink-faint);
    font-size: 13px;
  }
  header button {
    align-self: center;
    padding: 3px;
    color: var(--ink-soft);
  }
  header button:disabled {
    opacity: 0.3;
  }
  .adding select {
    color: var(--woad);
  }
  .problem {
    margin-top: 4px;
    color: var(--weld);
    font-size: 13px;
  }
  @media (max-width: 700px) {
    .help {
      display: none;
    }
    header b {
      flex: 1;
    }
  }
</style>
