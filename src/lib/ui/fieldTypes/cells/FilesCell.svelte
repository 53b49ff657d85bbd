<script lang="ts">
  import File from '@lucide/svelte/icons/file';
  import type { FileReference } from '$core/fieldTypes/files';
  import { useFrame } from '../../frame/context';
  import type { CellProps } from '../kind';

  const { value, large }: CellProps = $props();
  const frame = useFrame();
  const files = $derived(Array.isArray(value) ? (value as FileReference[]) : []);
  const hrefOf = ({ file, name }: FileReference, small = '') =>
    `/api/workspaces/${frame.workspace.key}/files/${file}?name=${encodeURIComponent(name)}${small}`;
  const isPicture = ({ type: found }: FileReference) => found.startsWith('image/');
</script>

<span class="several">
  {#each files as file, index (index)}
    <a
      href={hrefOf(file)}
      target="_blank"
      rel="noreferrer"
      title={file.name}
      onclick={(event) => event.stopPropagation()}
    >
      {#if isPicture(file)}<img
          src={hrefOf(file, `&thumbnail=${large ? 320 : 80}`)}
          alt={file.name}
          class:large
          loading="lazy"
        />{:else}<File size={14} />{file.name}{/if}
    </a>
  {/each}
</span>

<style>
  .several {
    display: inline-flex;
    gap: 10px;
    align-items: center;
    vertical-align: middle;
  }
  a {
    display: inline-flex;
    gap: 4px;
    align-items: center;
  }
  img {
    height: 22px;
    border-radius: 2px;
  }
  img.large {
    height: auto;
    max-width: 160px;
    max-height: 140px;
  }
</style>
