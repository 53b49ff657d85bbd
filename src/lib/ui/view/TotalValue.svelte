<script lang="ts">
  import type { Model } from '$core/types/model';
  import { shownType } from '$core/formula/shownType';
  import { useFrame } from '../frame/context';
  import { uiOf } from '../fieldTypes/registry';
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
    // A mean says one decimal more than its values do.
    const mean = asked.kind === 'avg' && !Number.isNaN(Number(value)) ? uiOf(type).mean?.(Number(value), type) : null;
    return mean ?? textOf(value, type, frame.workspace.zone);
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
