<script lang="ts">
  import { Checkbox, Input, Label } from 'flowbite-svelte';
  import type { Model, Table } from '$core/types/model';
  import { useFrame } from '../../frame/context';
  import { habit } from '../../values/habit';
  import type { FieldDraft } from '../../fieldTypes/fieldDraft';
  import { fittingRules, otherFields, partCondition } from './fieldRules';

  /**
   * The rules of one field, where the field is: least and greatest, the pattern of a text, what it is unique together
   * with.
   */
  let { model, table, draft = $bindable() }: { model: Model; table: Table; draft: FieldDraft } = $props();
  const { workspace } = useFrame();
  let together = $state(draft.rules.together.length > 0);
  const fits = $derived(fittingRules(draft));
  const others = $derived(otherFields(table, draft.key));
  const problem = $derived.by(() => {
    for (const shape of ['range', 'pattern'] as const) {
      const read = partCondition(model, draft, shape, { ...habit(), zone: workspace.zone });
      if (!read.ok) return read.problem;
    }
    return null;
  });
  const unit = $derived(
    draft.type === 'percent' || draft.type === 'progress'
      ? '%'
      : draft.type === 'number'
        ? draft.unit
        : draft.type === 'money'
          ? draft.currency
          : '',
  );
  const turn = (id: string) =>
    (draft.rules.together = draft.rules.together.includes(id)
      ? draft.rules.together.filter((one) => one !== id)
      : [...draft.rules.together, id]);
</script>

{#if fits.range}
  <div class="two">
    <Label
      >Minimum{unit ? `, ${unit}` : ''}<Input
        class="mt-1 py-1.5"
        type={draft.type === 'date' ? 'date' : 'text'}
        bind:value={draft.rules.least}
      /></Label
    >
    <Label
      >Maximum{unit ? `, ${unit}` : ''}<Input
        class="mt-1 py-1.5"
        type={draft.type === 'date' ? 'date' : 'text'}
        bind:value={draft.rules.greatest}
      /></Label
    >
  </div>
{/if}
{#if fits.pattern}
  <Label class="mt-2"
    >Text pattern<Input class="mt-1 py-1.5 font-mono" bind:value={draft.rules.pattern} placeholder="K-___" /></Label
  >
  {#if draft.rules.pattern}<p class="hint">_ stands for one character, % for any number of them.</p>{/if}
{/if}
{#if problem}<p class="refused" role="alert">{problem.message} {problem.fix ?? ''}</p>{/if}
{#if fits.together && others.length > 0}
  <details class="mt-2" bind:open={together}>
    <summary>Unique together with …</summary>
    {#if together}<div class="ticks">
        {#each others as { id, label } (id)}<Checkbox
            checked={draft.rules.together.includes(id)}
            onchange={() => turn(id)}>{label}</Checkbox
          >{/each}
      </div>{/if}
  </details>
{/if}

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 10px;
    margin-top: 10px;
  }
  .ticks {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 4px 10px;
    max-height: 120px;
    margin-top: 6px;
    overflow: auto;
  }
  .hint {
    margin-top: 4px;
    color: var(--ink-faint);
    font-size: 12px;
  }
  .refused {
    color: var(--madder);
    font-size: 13px;
  }
  summary {
    color: var(--woad);
    font-size: 13px;
    cursor: pointer;
  }
</style>
