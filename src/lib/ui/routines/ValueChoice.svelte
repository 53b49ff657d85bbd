<script lang="ts">
  import { asFixedValue, fixedValue } from '$core/routines/fixedValue';
  import type { Scope } from '$core/routines/scope';
  import type { Field } from '$core/types/field';
  import FormulaEditor from '../formula/FormulaEditor.svelte';
  import { useFrame } from '../frame/context';
  import { habit } from '../values/habit';
  import { editText } from '../values/show';
  import { canBeFixed, fixedOffers, readableFields } from './value';

  /** What a field gets: a fixed value, a field that the step reads, or a formula; written as the formula it is. */
  const {
    label,
    scope,
    field = null,
    formula,
    blank = false,
    only = null,
    onchange,
  }: {
    label: string;
    scope: Scope;
    /** The field that gets it; null where a text is wanted. */
    field?: Field | null;
    formula: string;
    /** Whether it can be made blank. */
    blank?: boolean;
    /** The fields that can be meant; all where null. */
    only?: ((path: string) => boolean) | null;
    onchange: (formula: string) => void;
  } = $props();
  const { workspace } = useFrame();
  const offers = $derived([...fixedOffers(field, scope), ...(blank ? [{ formula: 'null', label: 'blank' }] : [])]);
  const groups = $derived(
    readableFields(scope)
      .map((group) => ({ ...group, of: group.of.filter((one) => only?.(one.formula) ?? true) }))
      .filter(({ of }) => of.length > 0),
  );
  const isOffered = $derived([...offers, ...groups.flatMap(({ of }) => of)].some((one) => one.formula === formula));
  const fixed = $derived(canBeFixed(field) ? fixedValue(formula) : null);
  /** How it is given where the formula alone does not say so yet. */
  let way = $derived.by((): '=' | "'" | null => {
    // Chosen for this field alone.
    void field?.id;
    return null;
  });
  const shown = $derived(way ?? (formula === '' ? '' : isOffered ? formula : fixed !== null ? "'" : '='));
  let problem = $state('');

  function choose(chosen: string) {
    problem = '';
    if (chosen === '=' || chosen === "'") way = chosen;
    else [way] = [null, onchange(chosen)];
  }
  function write(text: string) {
    if (!field) return;
    const made = asFixedValue(scope.model, field, text, { ...habit(), zone: workspace.zone });
    problem = made.ok ? '' : `${made.problem.message} ${made.problem.fix ?? ''}`;
    if (made.ok) onchange(made.value);
  }
  const fixedText = $derived(
    field && fixed !== null ? editText(/^-?\d/.test(formula) ? Number(fixed) : fixed, field.type, workspace.zone) : '',
  );
</script>

<span class="value" role="group" aria-label={label}>
  <select class="in-line" aria-label={label} value={shown} onchange={(event) => choose(event.currentTarget.value)}>
    <option value="" disabled>choose a value</option>
    {#if canBeFixed(field)}<option value="'">this value:</option>{/if}
    {#each offers as one (one.formula)}<option value={one.formula}>{one.label}</option>{/each}
    {#each groups as group (group.label)}
      <optgroup label={group.label}>
        {#each group.of as one (one.formula)}<option value={one.formula}>{one.label}</option>{/each}
      </optgroup>
    {/each}
    <option value="=">by a formula</option>
  </select>
  {#if shown === "'"}
    <input
      class="in-line"
      type={field?.type.kind === 'date' ? 'date' : 'text'}
      aria-label="{label}: value"
      aria-invalid={problem !== ''}
      value={field?.type.kind === 'date' ? (fixed ?? '') : fixedText}
      onchange={(event) => write(event.currentTarget.value)}
    />
  {:else if shown === '='}
    <span class="formula">
      <FormulaEditor
        workspace={workspace.key}
        model={scope.model}
        table={scope.table.id}
        {formula}
        local
        ways={false}
        focus={way === '=' && formula === ''}
        called="{label}: formula"
        {onchange}
      />
    </span>
  {/if}
  {#if problem}<span class="problem" role="status">{problem}</span>{/if}
</span>

<style>
  .value {
    display: flex;
    flex: 1;
    flex-wrap: wrap;
    gap: 6px;
    align-items: baseline;
    min-width: 0;
  }
  .formula {
    flex: 1 1 100%;
    min-width: 0;
  }
  .problem {
    flex: 1 1 100%;
    color: var(--madder);
    font-size: 13px;
  }
</style>
