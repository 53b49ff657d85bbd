<script lang="ts">
  import { tick } from 'svelte';
  import { isEntered, isShown } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { call, workspacePath, type Refused } from '../api';
  import Button from '../controls/Button.svelte';
  import TypedValue from '../values/TypedValue.svelte';
  import { settleAll } from '../fieldTypes/editors/later';
  import CellEditor from './CellEditor.svelte';

  /** A new record, field by field; Tab goes on, Ctrl+Enter saves and begins the next. */
  const {
    workspace,
    model,
    table,
    preset = {},
    onmade,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    preset?: Readonly<Record<string, unknown>>;
    onmade: (batch: number) => void;
  } = $props();
  // svelte-ignore state_referenced_locally
  let values = $state<Record<string, unknown>>({ ...preset });
  let refused = $state<Refused | null>(null);
  let at = $state(0);
  let form = $state<HTMLFormElement | null>(null);
  const fields = $derived(table.fields.filter((field) => isEntered(field) && isShown(field)));

  /** Ctrl+Enter was pressed in an editor: what it holds is kept first, then the record is saved. */
  let saveNext = false;
  /** It is on its way: pressed twice it is made once. */
  let saving = false;

  async function save(event?: Event) {
    event?.preventDefault();
    saveNext = false;
    if (saving) return;
    saving = true;
    await write();
    saving = false;
  }

  async function write() {
    // What was typed faster than it is looked up, such as the record that a name stands for, is waited for.
    const settled = await settleAll(values);
    values = settled.values;
    if (settled.problem)
      return void (refused = { ...settled.problem, status: 422, at: `/values/${settled.field ?? ''}` });
    const sent = { records: [{ values: settled.values }] };
    const answer = await call<{ batch: number }>(
      'POST',
      workspacePath(workspace, `/tables/${table.key}/records`),
      sent,
      true,
    );
    if (!answer.ok) return void (refused = answer.problem);
    [values, refused, at] = [{ ...preset }, null, 0];
    onmade(answer.value.batch);
  }
  /** The editor of a field; behind the last one, the button that saves. */
  async function goTo(index: number) {
    at = Math.max(0, Math.min(index, fields.length));
    if (at < fields.length) return;
    await tick();
    form?.querySelector<HTMLButtonElement>('button[type=submit]')?.focus();
  }

  /** What stands in a field that nobody fills. */
  function presetWords({ default: preset, placeholder, example }: Field): string {
    if (preset)
      return preset.kind === 'value'
        ? `${String(preset.value)} unless filled`
        : preset.kind === 'today'
          ? 'today unless filled'
          : preset.kind === 'person'
            ? 'you unless filled'
            : 'calculated unless filled';
    return placeholder ?? (example ? `such as ${example}` : '');
  }
  const concerns = (key: string) => typeof refused?.at === 'string' && refused.at.endsWith(`/${key}`);
</script>

<svelte:window
  onkeydowncapture={(event) =>
    (saveNext = event.ctrlKey && event.key === 'Enter' && form?.contains(document.activeElement) === true)}
  onpointerdowncapture={() => (saveNext = false)}
  onkeydown={(event) => saveNext && void save(event)}
/>
<form bind:this={form} onsubmit={save}>
  {#each fields as field, index (field.id)}
    <div class="field">
      <span title={field.help}>{field.label}{field.required ? ' *' : ''}</span>
      <div>
        {#if at === index}
          <CellEditor
            {workspace}
            {model}
            {table}
            {field}
            draft={values}
            value={values[field.key] ?? null}
            start={null}
            oncommit={(value, key, back) => {
              values = { ...values, [field.key]: value };
              if (saveNext) void save();
              else if (key) void goTo(index + (back ? -1 : 1));
            }}
            oncancel={() => {
              if (saveNext) void save();
              else if (at === index) at = -1;
            }}
          />
        {:else}
          <button type="button" class="value" onclick={() => (at = index)} aria-label="Fill {field.label}">
            {#if (values[field.key] ?? null) === null}<span class="hint">{presetWords(field)}</span>{:else}<TypedValue
                {model}
                {field}
                value={values[field.key]}
              />{/if}
          </button>
        {/if}
        {#if concerns(field.key)}<p class="refused" role="alert">{refused?.message} {refused?.fix ?? ''}</p>{/if}
      </div>
    </div>
  {/each}
  {#if refused && !fields.some(({ key }) => concerns(key))}<p class="refused" role="alert">
      {refused.message}
      {refused.fix ?? ''}
    </p>{/if}
  <div class="steps">
    <Button kind="main" type="submit">Save the record</Button><span>Ctrl+Enter saves and begins the next</span>
  </div>
</form>

<style>
  .field {
    display: grid;
    grid-template-columns: 120px minmax(0, 1fr);
    gap: 8px;
    align-items: baseline;
    padding: 3px 0;
  }
  .value {
    display: block;
    width: 100%;
    min-height: 28px;
    padding: 2px 8px;
    text-align: left;
    background: var(--ground);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .hint {
    color: var(--ink-faint);
  }
  .refused {
    color: var(--madder);
    font-size: 13px;
  }
  .steps {
    display: flex;
    gap: 12px;
    align-items: center;
    margin-top: 16px;
    color: var(--ink-faint);
    font-size: 12px;
  }
</style>
