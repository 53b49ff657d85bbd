<script lang="ts">
  import type { Model } from '$core/types/model';
  import { shownType } from '$core/model/shownType';
  import { useFrame } from '../frame/context';
  import { numberText, textOf } from '../values/show';
  import { totalWords } from './totalWords';
  import type { AskedTotal } from './totals.svelte';

  /** One total with what it is: the word first, so that it is never taken for a record's value. */
  const { model, asked, value }: { model: Model; asked: AskedTotal; value: unknown } = $props();
  const frame = useFrame();
  const counts = $derived(asked.kind === 'filled' || asked.kind === 'blank' || asked.kind === 'distinct');
  const shown = $derived.by(() => {
    if (value === null || value === undefined) return '–';
    if (counts) return Number(value).toLocaleString();
    const type = shownType(model, asked.field);
    if (asked.kind !== 'avg' || Number.isNaN(Number(value))) return textOf(value, type, frame.workspace.zone);
    // A mean says one decimal more than its values do.
    const hundredths = type.kind === 'percent' || type.kind === 'progress';
    const digits =
      type.kind === 'rating' || type.kind === 'progress'
        ? 1
        : 'digits' in type && type.digits !== null
          ? type.digits + 1
          : 2;
    const number = numberText((Number(value) * (hundredths ? 100 : 1)).toFixed(digits), digits);
    return `${number}${hundredths ? ' %' : type.kind === 'number' && type.unit ? ` ${type.unit}` : type.kind === 'money' ? ` ${type.currency ?? ''}` : ''}`;
  });
</script>

<span class="total"><i>{totalWords(asked.field, asked.kind)}</i> {shown}</span>

<style>
  .total {
    color: var(--ink-soft);
    font-weight: 600;
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
  }
  i {
    margin-right: 3px;
    color: var(--ink-faint);
    font-size: 12px;
    font-style: normal;
    font-weight: 400;
  }
</style>
