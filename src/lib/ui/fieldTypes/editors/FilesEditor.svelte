<script lang="ts">
  import { byteWords } from '$ui/values/words';
  import type { FileReference } from '$core/fieldTypes/files';
  import { call, workspacePath } from '../../api';
  import type { EditorProps } from '../kind';

  /** Files of one field: chosen, dropped or taken out. */
  const { place, value, oncommit, oncancel }: EditorProps = $props();
  const { label, type } = $derived(place.field);
  const pictures = $derived(type.kind === 'pictures');
  // svelte-ignore state_referenced_locally
  const start: readonly FileReference[] = Array.isArray(value) ? (value as FileReference[]) : [];
  let files = $state.raw(start);
  let busy = $state(false);
  let problem = $state('');

  async function send(chosen: FileList | null | undefined) {
    if (!chosen || chosen.length === 0) return;
    const form = new FormData();
    for (const file of chosen) form.append('file', file, file.name);
    busy = true;
    const answer = await call<{ files: FileReference[] }>('POST', workspacePath(place.workspace, '/files'), form);
    busy = false;
    problem = answer.ok ? '' : `${answer.problem.message} ${answer.problem.fix ?? ''}`;
    if (answer.ok) files = [...files, ...answer.value.files];
  }

  const kept = () => (files.length === 0 ? null : files);

  /** Tab goes on from the last button, and at once where nothing was changed. */
  function key(event: KeyboardEvent) {
    const isUntouched = files === start && (event.target as Element).matches('[type=file]');
    if (event.key === 'Escape') oncancel();
    else if (event.key === 'Enter' && event.ctrlKey) oncommit(kept(), 'Enter');
    else if (event.key === 'Tab' && (isUntouched || (!event.shiftKey && (event.target as Element).matches('.done'))))
      oncommit(kept(), 'Tab', event.shiftKey);
    else return event.stopPropagation();
    event.preventDefault();
    event.stopPropagation();
  }
  const focus = (node: HTMLInputElement) => node.focus();
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<div
  class="files"
  role="group"
  aria-label={label}
  onkeydown={key}
  ondragover={(event) => event.preventDefault()}
  ondrop={(event) => (event.preventDefault(), void send(event.dataTransfer?.files))}
>
  <ul>
    {#each files as file, index (index)}
      <li>
        <span>{file.name} <small>{byteWords(file.size)}</small></span><button
          type="button"
          aria-label="Take {file.name} out"
          onclick={() => (files = files.toSpliced(index, 1))}>×</button
        >
      </li>
    {/each}
  </ul>
  <input
    {@attach focus}
    type="file"
    multiple
    accept={pictures ? 'image/png,image/jpeg,image/webp,image/gif' : undefined}
    aria-label="Add to {label}"
    onchange={(event) => void send(event.currentTarget.files)}
  />
  {#if busy}<p>Sending …</p>{/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <button type="button" class="done" disabled={busy} onclick={() => oncommit(kept(), 'Enter')}>Keep these files</button>
</div>

<style>
  .files {
    position: absolute;
    z-index: 15;
    width: 300px;
    padding: 8px;
    line-height: 1.4;
    white-space: normal;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
  li {
    display: flex;
    justify-content: space-between;
    border-bottom: 1px solid var(--line);
  }
  small {
    color: var(--ink-faint);
  }
  input {
    width: 100%;
    margin: 6px 0;
    font-size: 12px;
  }
  .problem {
    color: var(--madder);
  }
  .done {
    color: var(--woad);
    font-weight: 600;
  }
</style>
