<script lang="ts">
  import { tableOf, type Field, type Model } from '$core/model/model';
  import { call, workspacePath } from '../api';
  import Combo, { type Choice } from '../controls/Combo.svelte';
  import { editText } from '../values/show';

  /** The editor that fits a field's type. Gives JSON values as the API takes them; the API says what does not fit. */
  const {
    workspace,
    model,
    field,
    value,
    start,
    oncommit,
    oncancel,
  }: {
    workspace: string;
    model: Model;
    field: Field;
    value: unknown;
    /** What was typed to open the editor; null keeps the value. */
    start: string | null;
    oncommit: (value: unknown, key?: string, back?: boolean) => void;
    oncancel: () => void;
  } = $props();

  const type = $derived(field.type);
  // svelte-ignore state_referenced_locally
  let typed = $state(start ?? editText(value));
  let done = false;

  function finish(event: KeyboardEvent) {
    if (event.key === 'Escape') {
      done = true;
      event.stopPropagation();
      oncancel();
    } else if (event.key === 'Enter' || event.key === 'Tab') {
      event.preventDefault();
      event.stopPropagation();
      done = true;
      oncommit(typed.trim() === '' ? null : typed, event.key, event.shiftKey);
    }
  }

  /** Leaving the cell by the pointer keeps what was typed, as Enter does. */
  function left() {
    if (!done && typed !== editText(value)) oncommit(typed.trim() === '' ? null : typed);
    else if (!done) oncancel();
    done = true;
  }

  async function choices(text: string): Promise<readonly Choice[]> {
    if (type.kind === 'option')
      return type.options.filter(({ label }) => label.toLowerCase().includes(text.toLowerCase())).map(({ label }) => ({ label, value: label }));
    if (type.kind === 'yesNo') return ['yes', 'no'].filter((word) => word.startsWith(text.toLowerCase())).map((label) => ({ label, value: label === 'yes' }));
    if (type.kind !== 'link') return [];
    const answer = await call<{ titles: { id: number; title: string }[] }>(
      'GET',
      workspacePath(workspace, `/tables/${tableOf(model, type.to).key}/titles?limit=12&q=${encodeURIComponent(text)}`),
    );
    return answer.ok ? answer.value.titles.map(({ id, title }) => ({ label: title, value: { id, title } })) : [];
  }

  const focus = (node: HTMLInputElement) => {
    node.focus();
    if (start === null) node.select();
  };
</script>

{#if type.kind === 'option' || type.kind === 'yesNo' || type.kind === 'link'}
  <Combo
    start={start ?? editText(value)}
    begun={start !== null}
    {choices}
    label={field.label}
    {oncancel}
    oncommit={(choice, text, event) => oncommit(choice ? choice.value : text === '' ? null : text, event?.key, event?.shiftKey)}
  />
{:else}
  <input
    {@attach focus}
    type="text"
    placeholder={type.kind === 'date' ? 'year-month-day' : undefined}
    inputmode={type.kind === 'number' ? 'decimal' : undefined}
    bind:value={typed}
    onkeydown={finish}
    onblur={left}
    aria-label={field.label}
    class:number={type.kind === 'number'}
  />
{/if}

<style>
  input {
    width: 100%;
    height: 100%;
    padding: 3px 8px;
    font: inherit;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .number {
    text-align: right;
  }
</style>
