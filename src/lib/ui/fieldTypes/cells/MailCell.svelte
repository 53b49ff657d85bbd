<script lang="ts">
  import type { CellProps } from '../kind';

  const { value }: CellProps = $props();
</script>

<a href="mailto:{String(value)}" onclick={(event) => event.stopPropagation()}>{String(value)}</a>
