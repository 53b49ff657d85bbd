<script lang="ts">
  import type { CellProps } from '../kind';

  const { value }: CellProps = $props();
</script>

<a href={String(value)} target="_blank" rel="noreferrer noopener" onclick={(event) => event.stopPropagation()}
  >{String(value).replace(/^https?:\/\//, '')}</a
>
