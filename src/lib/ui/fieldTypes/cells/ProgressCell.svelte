<script lang="ts">
  import type { CellProps } from '../kind';

  const { value, text }: CellProps = $props();
</script>

<span class="progress"><i style:--share="{Number(value) * 100}%" aria-hidden="true"></i>{text}</span>

<style>
  .progress {
    display: inline-flex;
    gap: 8px;
    align-items: center;
    font-variant-numeric: tabular-nums;
  }
  .progress i {
    width: 60px;
    height: 6px;
    background: linear-gradient(90deg, var(--woad) var(--share), var(--line) var(--share));
    border-radius: 2px;
  }
</style>
