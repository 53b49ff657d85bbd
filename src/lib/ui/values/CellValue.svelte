<script lang="ts">
  import type { Model } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { shownType } from '$core/formula/shownType';
  import { uiOf } from '../fieldTypes/registry';
  import { useFrame } from '../frame/context';
  import { textOf } from './show';

  /** One value, the same wherever it is shown. */
  const {
    model,
    field,
    value,
    large = false,
    addressOf,
    onopen,
  }: {
    model: Model;
    field: Field;
    value: unknown;
    large?: boolean;
    /** Where a record that it names is shown; then names lead there. */
    addressOf?: (id: number) => string;
    /** Shows a record that it names beside, instead of going there. */
    onopen?: (id: number) => void;
  } = $props();
  const frame = useFrame();
  const type = $derived(shownType(model, field));
  const Cell = $derived(uiOf(type).Cell);
  const text = $derived(textOf(value, type, frame.workspace.zone));
</script>

{#if value === null || value === undefined}
  <span class="blank"></span>
{:else if Cell}
  <Cell {model} {field} {type} {value} {text} {large} {addressOf} {onopen} />
{:else}
  {text}
{/if}

<style>
  /* A blank has the height of a line, so that its row stands like the others. */
  .blank::before {
    content: '\200b';
  }
</style>
