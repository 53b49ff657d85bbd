<script lang="ts">
  import { Input, Label, Select } from 'flowbite-svelte';
  import { checkCondition } from '$core/formula/checker';
  import { good } from '$core/base/problem';
  import { isShown, isWritten } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { habit } from '../values/habit';
  import FormulaEditor from '../formula/FormulaEditor.svelte';
  import type { ChangeDraft } from '../fieldTypes/fieldDraft';
  import { ruleCondition, ruleShapes, type RuleShape } from './ruleShapes';

  /**
   * A new rule: chosen by its shape for one field, or written as a condition over several; with what people read when
   * it is broken.
   */
  const {
    workspace,
    model,
    table,
    onsave,
  }: { workspace: string; model: Model; table: Table; onsave: (change: ChangeDraft) => void } = $props();
  let shape = $state<RuleShape>('range');
  let fieldId = $state('');
  let least = $state('');
  let greatest = $state('');
  let words = $state('');
  let condition = $state('');
  let unique = $state<string[]>([]);
  let message = $state('');
  const fields = $derived(table.fields.filter((field) => isWritten(field) && isShown(field)));
  const fitting = $derived(fields.filter((field) => ruleShapes[shape].fits(field)));
  const field = $derived(fitting.find(({ id }) => id === fieldId) ?? fitting[0]);
  const { workspace: here } = useFrame();
  const written = $derived(
    shape === 'formula'
      ? good(condition)
      : field
        ? ruleCondition(model, shape, field, { least, greatest, words }, { ...habit(), zone: here.zone })
        : good(''),
  );
  const made = $derived(written.ok ? written.value : '');
  const problem = $derived(
    !written.ok
      ? written.problem
      : shape === 'unique' || made === ''
        ? null
        : (checkCondition(model, table.id, made).problems[0] ?? null),
  );
  const proposed = $derived(
    shape === 'unique'
      ? 'These fields together must be unique.'
      : field && shape !== 'formula'
        ? ruleShapes[shape].message(field as Field, { least, greatest, words })
        : '',
  );

  function save(event: SubmitEvent) {
    event.preventDefault();
    const text = message.trim() || proposed;
    if (shape === 'unique') onsave({ do: 'addRule', table: table.id, message: text, unique });
    else if (!problem && made !== '')
      onsave({
        do: 'addRule',
        table: table.id,
        message: text,
        condition: made,
        ...(field && shape !== 'formula' ? { about: field.id } : {}),
      });
  }
</script>

<form onsubmit={save}>
  <Label
    >Rule<Select
      class="mt-1 py-1.5"
      bind:value={shape}
      placeholder=""
      items={Object.entries(ruleShapes).map(([value, { name }]) => ({ value, name }))}
    /></Label
  >
  {#if shape === 'unique'}
    <p class="label">Unique together</p>
    {#each fields as one (one.id)}
      <label class="tick"
        ><input
          type="checkbox"
          checked={unique.includes(one.id)}
          onchange={() =>
            (unique = unique.includes(one.id) ? unique.filter((id) => id !== one.id) : [...unique, one.id])}
        />
        {one.label}</label
      >
    {/each}
  {:else if shape === 'formula'}
    <p class="label">Must hold for every record</p>
    <FormulaEditor
      {workspace}
      {model}
      table={table.id}
      formula={condition}
      condition
      onchange={(text) => (condition = text)}
    />
  {:else}
    <Label class="mt-3"
      >Field<Select
        class="mt-1 py-1.5"
        value={field?.id ?? ''}
        onchange={(event) => (fieldId = event.currentTarget.value)}
        placeholder=""
        items={fitting.map(({ id, label }) => ({ value: id, name: label }))}
      /></Label
    >
    {#if shape === 'range' || shape === 'length'}
      <div class="two">
        <Label class="mt-3"
          >At least<Input
            class="mt-1 py-1.5"
            bind:value={least}
            placeholder={field?.type.kind.startsWith('date') ? 'year-month-day' : ''}
          /></Label
        >
        <Label class="mt-3">At most<Input class="mt-1 py-1.5" bind:value={greatest} /></Label>
      </div>
    {:else}
      <Label class="mt-3"
        >{shape === 'pattern' ? 'Shape: % any characters, _ one' : 'Values, commas between'}<Input
          class="mt-1 py-1.5 font-mono"
          bind:value={words}
          placeholder={shape === 'pattern' ? 'K-___' : 'calm, wild'}
        /></Label
      >
    {/if}
    {#if made}<p class="hint"><code>{made}</code></p>{/if}
  {/if}
  {#if problem}<p class="refused">{problem.message} {problem.fix ?? ''}</p>{/if}
  <Label class="mt-3"
    >What people read when it is broken<Input
      class="mt-1 py-1.5"
      bind:value={message}
      placeholder={proposed}
      maxlength={300}
    /></Label
  >
  <div class="steps">
    <Button
      kind="main"
      type="submit"
      disabled={shape === 'unique' ? unique.length < 2 : made === '' || problem !== null}>Add to the plan</Button
    >
  </div>
</form>

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 10px;
  }
  .label {
    margin: 12px 0 4px;
    font-weight: 500;
  }
  .tick {
    display: block;
    padding: 2px 0;
  }
  .hint {
    margin-top: 6px;
  }
  .refused {
    color: var(--madder);
  }
  .steps {
    margin-top: 16px;
  }
</style>
