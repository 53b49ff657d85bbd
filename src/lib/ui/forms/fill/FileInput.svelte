<script lang="ts">
  import { byteWords } from '$ui/values/words';
  import type { FileReference } from '$core/fieldTypes/files';

  /** Files for one field: those that stand, and those that go along when the form is sent. */
  const {
    id,
    label,
    pictures,
    value,
    describedby,
    onchange,
  }: {
    id: string;
    label: string;
    pictures: boolean;
    value: readonly (File | FileReference)[];
    describedby?: string;
    onchange: (files: readonly (File | FileReference)[]) => void;
  } = $props();
  /** As large as the server takes them. */
  const most = 20 * 1024 * 1024;
  let refused = $state('');

  function add(chosen: FileList | null | undefined) {
    const files = [...(chosen ?? [])];
    const large = files.find(({ size }) => size > most);
    refused = large ? `“${large.name}” is larger than 20 MB. Choose a smaller one.` : '';
    const fit = files.filter(({ size }) => size <= most);
    if (fit.length > 0) onchange([...value, ...fit]);
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div
  ondragover={(event) => event.preventDefault()}
  ondrop={(event) => (event.preventDefault(), add(event.dataTransfer?.files))}
>
  {#each value as file, index (index)}
    <p class="file">
      <span>{file.name} <small>{byteWords(file.size)}</small></span>
      <button type="button" aria-label="Take {file.name} out" onclick={() => onchange(value.toSpliced(index, 1))}
        >×</button
      >
    </p>
  {/each}
  <input
    {id}
    type="file"
    multiple
    aria-label={label}
    aria-describedby={describedby}
    accept={pictures ? 'image/png,image/jpeg,image/webp,image/gif' : undefined}
    onchange={(event) => (add(event.currentTarget.files), (event.currentTarget.value = ''))}
  />
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
</div>

<style>
  .file {
    display: flex;
    gap: 8px;
    align-items: center;
    justify-content: space-between;
    min-height: 36px;
    padding-left: 10px;
    margin-bottom: 4px;
    overflow-wrap: anywhere;
    background: var(--woad-tint);
    border-radius: var(--radius);
  }
  .file button {
    min-width: 36px;
    min-height: 36px;
  }
  small {
    color: var(--ink-soft);
  }
  input {
    width: 100%;
    padding: 8px;
    font-size: 13px;
    border: 1px dashed var(--line-strong);
    border-radius: var(--radius);
  }
  .refused {
    color: var(--madder);
    font-size: 13px;
  }
</style>
