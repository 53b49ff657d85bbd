<script lang="ts">
  import { shownOption } from '$core/fieldTypes/option';
  import type { Option } from '$core/types/field';

  /** An option as it is shown everywhere: three short stitches in its dye, whose pattern differs too, and its label. */
  const { option, place }: { option: Option; /** Its place in the list, from 0. */ place: number } = $props();
</script>

<span class="option" class:retired={option.retired} style:--dye="var(--dye-{option.dye})"
  ><i class="stitch s{place % 4}" aria-hidden="true"></i>{shownOption(option)}</span
>

<style>
  .option {
    display: inline-flex;
    align-items: center;
    gap: 6px;
  }
  .retired {
    color: var(--ink-faint);
  }
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
</style>
