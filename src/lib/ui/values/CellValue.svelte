<script lang="ts">
  import { shownType, tableOf, type Field, type Model } from '$core/model/model';
  import { textOf } from './show';

  /** One value, the same wherever it is shown. */
  const { model, field, value }: { model: Model; field: Field; value: unknown } = $props();
  const type = $derived(shownType(model, field));
  const option = $derived(type.kind === 'option' ? type.options.find(({ label }) => label === value) : undefined);
  const strokes = $derived(type.kind === 'option' && option ? type.options.indexOf(option) % 4 : 0);
</script>

{#if value === null || value === undefined}
  <span class="blank"></span>
{:else if type.kind === 'link'}
  <span class="thread" style:--from="var(--ink-faint)" style:--to="var(--dye-{tableOf(model, type.to).dye})">{textOf(value, type)}</span>
{:else if option}
  <span class="option" style:--dye="var(--dye-{option.dye})"><i class="stitch s{strokes}" aria-hidden="true"></i>{option.label}</span>
{:else if type.kind === 'yesNo'}
  <span class:no={!value}>{value ? 'yes' : 'no'}</span>
{:else}
  {textOf(value, type)}
{/if}

<style>
  /* A thread: its end in two tones, from here to the target's table. */
  .thread {
    padding-left: 12px;
    background: linear-gradient(90deg, var(--from) 0 4px, var(--to) 4px 8px) left center / 8px 3px no-repeat;
  }
  .option {
    display: inline-flex;
    align-items: center;
    gap: 6px;
  }
  /* Three short stitches in the option's dye; their pattern differs too. */
  .stitch {
    width: 11px;
    height: 10px;
    background: repeating-linear-gradient(90deg, var(--dye) 0 2px, transparent 2px 4.5px);
  }
  .s1 {
    transform: skewX(-24deg);
  }
  .s2 {
    transform: rotate(90deg);
  }
  .s3 {
    transform: skewX(24deg) scaleY(0.6);
  }
  .no {
    color: var(--ink-faint);
  }
</style>
