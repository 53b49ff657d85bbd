<script lang="ts">
  import type { CellProps } from '../kind';

  const { type, value }: CellProps = $props();
  const most = $derived('most' in type ? type.most : 0);
</script>

<span class="stars" role="img" aria-label="{String(value)} of {most}"
  >{'★'.repeat(Number(value))}<i>{'★'.repeat(Math.max(0, most - Number(value)))}</i></span
>

<style>
  .stars {
    color: var(--weld);
    letter-spacing: 1px;
  }
  .stars i {
    color: var(--line-strong);
    font-style: normal;
  }
</style>
