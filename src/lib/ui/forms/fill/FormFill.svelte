<script lang="ts">
  import { tick, untrack, type Snippet } from 'svelte';
  import { startValue, shownParts, type EntryProblem } from '$core/forms/entry';
  import { fieldItems } from '$core/forms/form';
  import type { FieldItem, ListItem } from '$core/types/form';
  import type { FormPage } from '$core/forms/formPage';
  import type { Field } from '$core/types/field';
  import { plainReading } from '$core/fieldTypes/registry';
  import type { Answer, Refused } from '../../api';
  import Button from '../../controls/Button.svelte';
  import type { Choice } from '../../controls/Combo.svelte';
  import FormInput from './FormInput.svelte';

  /**
   * A form that is filled in: parts come and go with what is written, what is wrong stands beside its field, and
   * nothing written is lost.
   */
  const {
    page,
    zone,
    today,
    start = null,
    kept = null,
    action,
    choices,
    send,
    list,
  }: {
    page: FormPage;
    zone: string;
    today: string;
    /** The values of the record that is changed; null for a new one. */
    start?: Readonly<Record<string, unknown>> | null;
    /** The name under which what is written outlives a reload. */
    kept?: string | null;
    /** What the button says it does. */
    action: string;
    choices: (field: Field, typed: string, values: Readonly<Record<string, unknown>>) => Promise<readonly Choice[]>;
    /** Sends what is shown; the key stays the same until it has arrived. */
    send: (values: Readonly<Record<string, unknown>>, key: string) => Promise<Answer<unknown>>;
    /** A list of records on the form. */
    list?: Snippet<[ListItem]>;
  } = $props();
  const uid = $props.id();
  const { form, model, table } = $derived(page);
  const reading = $derived({ ...plainReading, zone, today });

  const fieldOfItem = (item: FieldItem): Field | undefined => table.fields.find(({ id }) => id === item.field);
  let values = $state.raw<Readonly<Record<string, unknown>>>(begin());
  let problems = $state.raw<readonly EntryProblem[]>([]);
  let refused = $state<Refused | null>(null);
  let busy = $state(false);
  let key = crypto.randomUUID();
  /** It was sent under the key, and nobody knows whether it arrived. */
  let isTried = false;

  const shown = $derived(shownParts(model, table, form, values, reading));
  const problemOf = (field: Field) => problems.find(({ field: name }) => name === field.key);

  /**
   * What stands in the form at first: the record's values, what was written before a reload, or what it begins with.
   */
  function begin(): Record<string, unknown> {
    if (start) return { ...start };
    const fresh = Object.fromEntries(
      fieldItems(form).flatMap((item) => {
        const field = fieldOfItem(item);
        const value = field && !item.hidden ? startValue(field, item, today) : undefined;
        return field && value !== undefined ? [[field.key, value]] : [];
      }),
    );
    const before = kept === null || typeof sessionStorage === 'undefined' ? null : sessionStorage.getItem(kept);
    return before ? { ...fresh, ...(JSON.parse(before) as Record<string, unknown>) } : fresh;
  }

  // What one has not touched follows the record; what one wrote stays.
  // svelte-ignore state_referenced_locally
  let stood = start;
  $effect(() => {
    const now = start;
    const before = stood;
    if (now === null || before === null || now === before) return;
    stood = now;
    const own = untrack(() => values);
    values = Object.fromEntries(
      Object.entries(now).map(([name, value]) => [name, own[name] === before[name] ? value : own[name]]),
    );
  });

  function fill(field: Field, value: unknown) {
    // What is written after a try is another filling: under the same key it would be taken for the one that may have
    // arrived.
    if (isTried) [key, isTried] = [crypto.randomUUID(), false];
    values = { ...values, [field.key]: value };
    problems = problems.filter(({ field: name }) => name !== field.key);
    // Files stay in the page alone.
    const files = new Set(
      table.fields.filter(({ type }) => type.kind === 'files' || type.kind === 'pictures').map((one) => one.key),
    );
    if (kept)
      sessionStorage.setItem(
        kept,
        JSON.stringify(Object.fromEntries(Object.entries(values).filter(([name]) => !files.has(name)))),
      );
  }

  /** What of the form is shown, and of a record only what was changed. */
  function sent(): Record<string, unknown> {
    return Object.fromEntries(
      fieldItems(form).flatMap((item) => {
        const field = fieldOfItem(item);
        if (!field || item.hidden || !shown.items.has(item) || !Object.hasOwn(values, field.key)) return [];
        return start && values[field.key] === start[field.key] ? [] : [[field.key, values[field.key]]];
      }),
    );
  }

  /**
   * Lists hold controls of their own, which an element of the kind form would take for its own: then Enter is told
   * here.
   */
  function keyInLists(event: KeyboardEvent) {
    const target = event.target as Element;
    if (event.key !== 'Enter' || event.defaultPrevented || !target.matches('input') || target.closest('[data-list]'))
      return;
    event.preventDefault();
    // What the field holds is taken before it is sent.
    (target as HTMLInputElement).blur();
    void submit();
  }

  async function submit() {
    if (busy) return;
    busy = true;
    isTried = true;
    const answer = await send(sent(), key);
    busy = false;
    refused = answer.ok ? null : answer.problem;
    problems = answer.ok ? [] : ((answer.problem.problems as EntryProblem[] | undefined) ?? []);
    if (answer.ok) return arrived();
    await tick();
    const [first] = problems;
    const target = first && document.getElementById(`${uid}-${first.field}`);
    target?.scrollIntoView({ block: 'center' });
    (target?.matches('input, select, textarea') ? target : target?.querySelector('input'))?.focus();
  }

  function arrived() {
    if (kept) sessionStorage.removeItem(kept);
    [key, isTried] = [crypto.randomUUID(), false];
    values = begin();
  }

  const labels = $derived(
    problems.map(({ field: name }) => {
      const field = table.fields.find((one) => one.key === name);
      return `“${field ? labelOf(field) : name}”`;
    }),
  );
  const labelOf = (field: Field): string =>
    fieldItems(form).find((item) => item.field === field.id)?.label ?? field.label;
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<svelte:element
  this={list ? 'div' : 'form'}
  class="fill"
  role="form"
  novalidate={list ? undefined : true}
  aria-label={form.label}
  onsubmit={(event: SubmitEvent) => (event.preventDefault(), void submit())}
  onkeydown={list ? keyInLists : undefined}
>
  {#if form.intro}<p class="intro">{form.intro}</p>{/if}
  {#each form.sections as section, index (index)}
    {@const items = section.items.filter((item) => shown.items.has(item) && !(item.kind === 'field' && item.hidden))}
    {#if shown.sections.has(index) && items.length > 0}
      <fieldset class:two={section.columns === 2}>
        {#if section.label}<legend>{section.label}</legend>{/if}
        {#if section.about}<p class="about">{section.about}</p>{/if}
        <div class="grid">
          {#each items as item (item.field)}
            {#if item.kind === 'list'}
              <div class="item wide" data-list>{@render list?.(item)}</div>
            {:else}
              {@const field = fieldOfItem(item)}
              {#if field}
                {@const problem = problemOf(field)}
                {@const help = item.help ?? field.help}
                {@const needed = Boolean(item.required ?? field.required)}
                {@const id = `${uid}-${field.key}`}
                <div class="item" class:wide={item.wide}>
                  <label for={id}
                    >{labelOf(field)}{needed ? ' ' : ''}{#if needed}<span class="needed">needed</span>{/if}</label
                  >
                  {#if help}<p class="help" id="{id}-help">{help}</p>{/if}
                  <FormInput
                    {id}
                    {field}
                    label={labelOf(field)}
                    placeholder={item.placeholder ??
                      field.placeholder ??
                      (field.example ? `such as ${field.example}` : '')}
                    value={values[field.key] ?? null}
                    {zone}
                    required={needed}
                    invalid={problem !== undefined}
                    describedby={[help ? `${id}-help` : '', problem ? `${id}-problem` : ''].filter(Boolean).join(' ') ||
                      undefined}
                    choices={(typed) => choices(field, typed, values)}
                    onchange={(value) => fill(field, value)}
                  />
                  {#if problem}<p class="problem" id="{id}-problem">{problem.message} {problem.fix ?? ''}</p>{/if}
                </div>
              {/if}
            {/if}
          {/each}
        </div>
      </fieldset>
    {/if}
  {/each}
  <div class="steps">
    <Button
      kind="main"
      type={list ? 'button' : 'submit'}
      onclick={list ? () => void submit() : undefined}
      disabled={busy}>{busy ? 'Sending …' : action}</Button
    >
    {#if refused}
      <p class="problem" role="alert">
        {problems.length > 1
          ? `${problems.length} fields want a look: ${labels.join(', ')}.`
          : `${refused.message} ${refused.fix ?? ''}`}
        {refused.status === 0 ? 'What you wrote is kept here.' : ''}
      </p>
    {/if}
  </div>
</svelte:element>

<style>
  .fill {
    container-type: inline-size;
  }
  .intro,
  .about {
    white-space: pre-line;
  }
  .intro {
    margin-bottom: 18px;
  }
  .about,
  .help {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .about {
    margin-bottom: 8px;
  }
  fieldset {
    min-width: 0;
    margin-bottom: 22px;
  }
  legend {
    float: left;
    width: 100%;
    padding-bottom: 4px;
    margin-bottom: 12px;
    font-size: 15px;
    font-weight: 600;
    border-bottom: 1px solid var(--line-strong);
  }
  .about,
  .grid {
    clear: both;
  }
  .grid {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 16px 24px;
    align-items: start;
  }
  label {
    display: block;
    margin-bottom: 3px;
    font-weight: 600;
  }
  .needed {
    margin-left: 6px;
    color: var(--madder);
    font-size: 12px;
    font-weight: 400;
  }
  .help {
    margin: -2px 0 5px;
  }
  .problem {
    margin-top: 4px;
    color: var(--madder);
    font-size: 13px;
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 12px;
    align-items: center;
  }
  .steps :global(button) {
    min-height: 40px;
    padding-inline: 20px;
  }
  @container (min-width: 560px) {
    .two .grid {
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    }
    .two .wide {
      grid-column: 1 / -1;
    }
  }
</style>
