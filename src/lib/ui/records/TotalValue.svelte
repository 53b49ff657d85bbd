<script lang="ts">
  import type { Model } from '$core/model/model';
  import { shownType } from '$core/model/shownType';
  import { useFrame } from '../frame/context';
  import { textOf } from '../values/show';
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
    // A mean has as many decimals as tell something beside its values.
    const digits = asked.kind === 'avg' && 'digits' in type ? Math.max(1, type.digits ?? 2) : null;
    return textOf(
      digits !== null && typeof value === 'number' ? Number(value.toFixed(type.kind === 'percent' ? digits + 2 : digits)) : value,
      type,
      frame.workspace.zone,
    );
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
