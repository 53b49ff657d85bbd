<script lang="ts">
  import { Label, Select } from 'flowbite-svelte';
  import { linkedTable } from '$core/model/model';
  import type { Model } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { checkRowFormula, rowModel, rowTable, rowText } from '$core/intake/rowFormula';
  import type { SetAsideText } from '$server/entry/setAside';
  import { type Refused, call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import Combo from '../controls/Combo.svelte';
  import FormulaEditor from '../formula/FormulaEditor.svelte';
  import BeforeAfter from '../intake/BeforeAfter.svelte';
  import { counted } from '../values/words';

  /**
   * The ways to fix what was set aside: one text by a value, or all of a field by reading them another way or by a
   * formula.
   */
  const {
    workspace,
    model,
    field,
    text,
    samples,
    values,
    onfix,
  }: {
    workspace: string;
    model: Model;
    field: Field;
    /** The text that is chosen; null for all of the field. */
    text: SetAsideText | null;
    samples: readonly string[];
    /** How many values are set aside in the field. */
    values: number;
    onfix: (
      body: object,
    ) => Promise<{ batch: number | null; fixed: number; left: number } | { refused: Refused } | null>;
  } = $props();

  const target = $derived(linkedTable(model, field)?.table);
  const kind = $derived(field.type.kind);
  const readable = $derived(
    ['date', 'dateTime'].includes(kind) ? 'dates' : ['number', 'money', 'percent'].includes(kind) ? 'numbers' : null,
  );
  const options = $derived(
    field.type.kind === 'option' || field.type.kind === 'options' ? field.type.options.map(({ label }) => label) : null,
  );
  let value = $state('');
  let way = $state('');
  let formula = $state('');
  let problem = $state('');
  let counts = $state<{ fixed: number; left: number } | null>(null);
  const checked = $derived(formula.trim() === '' ? null : checkRowFormula(['text'], 0, formula));
  const previews = $derived.by(() => {
    const expression = checked?.expression;
    return expression
      ? samples.slice(0, 5).map((before) => ({ before, after: rowText(expression, [before]) ?? '' }))
      : [];
  });
  const reading = $derived(
    readable === 'dates' ? { decimal: '.', dateOrder: way } : { decimal: way, dateOrder: 'ymd' },
  );

  async function send(body: object) {
    problem = '';
    const answer = await onfix(body);
    if (answer && 'refused' in answer) problem = [answer.refused.message, answer.refused.fix].filter(Boolean).join(' ');
    else if (answer && 'try' in body) counts = answer;
    else formula = '';
  }
  async function titles(typed: string) {
    if (!target) return [];
    const path = workspacePath(workspace, `/tables/${target.key}/titles?limit=12&q=${encodeURIComponent(typed)}`);
    const answer = await call<{ items: { id: number; title: string }[] }>('GET', path);
    return answer.ok ? answer.value.items.map(({ id, title }) => ({ label: title, value: id })) : [];
  }
</script>

{#if text}
  <p>{counted(text.count, 'record')} {text.count === 1 ? 'says' : 'say'} this: {text.reason}.</p>
  {#if target}
    <p class="label">It means this record of {target.label}</p>
    <Combo
      start=""
      label="Record of {target.label}"
      choices={titles}
      oncommit={(choice) => choice && void send({ do: 'replace', text: text.text, value: choice.value })}
    />
  {:else}
    <form onsubmit={(event) => (event.preventDefault(), void send({ do: 'replace', text: text.text, value }))}>
      <Label
        >It means
        {#if options}
          <Select
            class="mt-1 py-1.5"
            placeholder=""
            items={options.map((label) => ({ value: label, name: label }))}
            bind:value
          />
        {:else}
          <!-- svelte-ignore a11y_autofocus -->
          <input bind:value autofocus />
        {/if}
      </Label>
      <div class="do">
        <Button kind="main" type="submit" disabled={value.trim() === ''}
          >Write it on {counted(text.count, 'record')}</Button
        >
      </div>
    </form>
  {/if}
  <div class="do">
    <Button kind="quiet" onclick={() => void send({ do: 'leave', text: text.text })}
      >Leave {text.count === 1 ? 'it' : 'them'} blank</Button
    >
  </div>
{:else}
  <p>Choose a text to say what it means, or fix all {values.toLocaleString()} at once.</p>
  {#if readable}
    <Label class="mt-3"
      >Read all {readable} as<Select
        class="mt-1 py-1.5"
        placeholder=""
        bind:value={way}
        onchange={() => void send({ do: 'read', reading, try: true })}
        items={readable === 'dates'
          ? [
              { value: 'ymd', name: 'year-month-day' },
              { value: 'dmy', name: 'day-month-year' },
              { value: 'mdy', name: 'month-day-year' },
            ]
          : [
              { value: '.', name: 'with a decimal point: 1,234.5' },
              { value: ',', name: 'with a decimal comma: 1.234,5' },
            ]}
      /></Label
    >
    {#if way !== '' && counts}
      <p>{counted(counts.fixed, 'value')} would fit, {counts.left.toLocaleString()} still not.</p>
      <div class="do">
        <Button kind="main" disabled={counts.fixed === 0} onclick={() => void send({ do: 'read', reading })}
          >Fix {counted(counts.fixed, 'value')}</Button
        >
      </div>
    {/if}
  {/if}
  <p class="label">Make them over by a formula</p>
  <FormulaEditor
    {workspace}
    model={rowModel(['text'], 0)}
    table={rowTable}
    {formula}
    local
    ways={false}
    focus={false}
    called="Formula over the text"
    example="replace(value, ' kg', '')"
    onchange={(now) => ((formula = now), (counts = null))}
  />
  {#if previews.length > 0}
    <BeforeAfter pairs={previews} />
    <div class="do">
      {#if counts && way === ''}<Button
          kind="main"
          disabled={counts.fixed === 0}
          onclick={() => void send({ do: 'formula', formula })}
          >Fix {counted(counts.fixed, 'value')}{counts.left > 0
            ? `, ${counts.left.toLocaleString()} still do not fit`
            : ''}</Button
        >
      {:else}<Button
          disabled={!checked?.expression}
          onclick={() => ((way = ''), void send({ do: 'formula', formula, try: true }))}>How many would fit?</Button
        >{/if}
    </div>
  {/if}
  <div class="do far">
    <Button kind="quiet" onclick={() => void send({ do: 'leave' })}>Leave all {values.toLocaleString()} blank</Button>
  </div>
{/if}
{#if problem}<p class="refused" role="alert">{problem}</p>{/if}

<style>
  .label {
    margin: 14px 0 4px;
    font-weight: 500;
  }
  input {
    display: block;
    width: 100%;
    padding: 5px 8px;
    margin-top: 4px;
    background: var(--ground);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .do {
    display: flex;
    gap: 8px;
    margin-top: 10px;
  }
  .far {
    padding-top: 12px;
    margin-top: 20px;
    border-top: 1px solid var(--line);
  }
  .refused {
    margin-top: 8px;
    color: var(--madder);
  }
</style>
