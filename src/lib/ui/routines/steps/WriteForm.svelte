<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import { quoteText } from '$core/base/sql';
  import type { Written } from '$core/filled/written';
  import { conditionPaths } from '$core/query/conditions';
  import { partsOf } from '$core/types/part';
  import { fixedValue } from '$core/routines/fixedValue';
  import { peopleChoices } from '../../fieldTypes/editors/linkChoices';
  import { useFrame } from '../../frame/context';
  import type { StepFormProps } from '../step';
  import TemplateText from '../TemplateText.svelte';
  import { pathsOf } from '../value';
  import ValueChoice from '../ValueChoice.svelte';

  /** A message goes to people, to those whom a field names, or to addresses. */
  const { scope, step, onchange }: StepFormProps = $props();
  const { workspace } = useFrame();
  const attached = $derived([
    { name: 'document', label: 'Attached document', all: partsOf(scope.table, 'document') },
    { name: 'summary', label: 'Attached summary', all: partsOf(scope.model, 'summary') },
  ]);
  const people = $derived(peopleChoices(workspace.key, ''));
  const to = $derived((step.to ?? []) as readonly Written[]);
  const put = (next: readonly Written[]) => onchange({ ...step, to: next });
  const readable = $derived(conditionPaths(scope.model, scope.table));
  const canBe = $derived(pathsOf(scope, 'text', 'member'));
  /** Fields that hold addresses come first to mind. */
  const likely = $derived(
    readable.find(({ field }) => field.type.kind === 'email') ??
      readable.find(({ field }) => field.type.kind === 'member'),
  );
  const adds: Record<string, () => Written> = {
    field: () => ({ formula: likely?.path ?? '' }),
    address: () => ({ formula: "''" }),
  };
  async function add(kind: string) {
    if (kind !== 'person') return put([...to, adds[kind]?.() ?? {}]);
    const [first] = await people;
    if (first) put([...to, { person: first.value.id }]);
  }
</script>

<div class="line" role="group" aria-label="To whom">
  <span>to</span>
  <div class="all">
    {#each to as one, at (at)}
      {@const address = typeof one.formula === 'string' ? fixedValue(one.formula) : null}
      <div class="whom">
        {#if typeof one.person === 'number'}
          {#await people then all}
            <select
              class="in-line"
              aria-label="Person"
              value={one.person}
              onchange={(event) => put(to.with(at, { person: Number(event.currentTarget.value) }))}
            >
              {#if !all.some(({ value }) => value.id === one.person)}<option value={one.person}
                  >somebody who left</option
                >{/if}
              {#each all as { label, value } (value.id)}<option value={value.id}>{label}</option>{/each}
            </select>
          {/await}
        {:else if address !== null}
          <input
            class="in-line"
            type="email"
            multiple
            aria-label="Addresses"
            placeholder="name@example.org"
            value={address}
            oninput={(event) => put(to.with(at, { formula: quoteText(event.currentTarget.value) }))}
          />
        {:else}
          <ValueChoice
            label="Whom a field names"
            {scope}
            formula={String(one.formula ?? '')}
            only={canBe}
            onchange={(formula) => put(to.with(at, { formula }))}
          />
        {/if}
        <button type="button" aria-label="Take this recipient out" onclick={() => put(to.toSpliced(at, 1))}
          ><X size={14} /></button
        >
      </div>
    {/each}
    <select
      class="in-line add"
      aria-label="One more recipient"
      value=""
      onchange={(event) => {
        void add(event.currentTarget.value);
        event.currentTarget.value = '';
      }}
    >
      <option value="" disabled>+ recipient</option>
      <option value="field">whom a field names</option>
      <option value="person">a person</option>
      <option value="address">an address</option>
    </select>
  </div>
</div>
<div class="line">
  <span>subject</span>
  <TemplateText
    label="Subject"
    {scope}
    text={String(step.subject ?? '')}
    onchange={(subject) => onchange({ ...step, subject })}
  />
</div>
<div class="line">
  <span>text</span>
  <TemplateText
    label="Text of the message"
    {scope}
    rows={5}
    text={String(step.text ?? '')}
    onchange={(text) => onchange({ ...step, text })}
  />
</div>
{#each attached as { name, label, all } (name)}
  {#if all.length > 0}
    <div class="line">
      <span>with</span>
      <select
        class="in-line"
        aria-label={label}
        value={String(step[name] ?? '')}
        onchange={(event) => onchange({ ...step, [name]: event.currentTarget.value })}
      >
        <option value="">no {name}</option>
        {#each all as one (one.id)}<option value={one.label}>{name} “{one.label}” as PDF</option>{/each}
      </select>
    </div>
  {/if}
{/each}

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: baseline;
    margin-bottom: 6px;
  }
  .line > span {
    min-width: 52px;
    color: var(--ink-soft);
  }
  .all {
    flex: 1;
    min-width: 0;
  }
  .whom {
    display: flex;
    gap: 6px;
    align-items: baseline;
    margin-bottom: 6px;
  }
  .add {
    color: var(--woad);
  }
  button {
    color: var(--ink-faint);
  }
</style>
