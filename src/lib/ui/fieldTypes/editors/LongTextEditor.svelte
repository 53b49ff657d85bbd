<script lang="ts">
  import type { EditorProps } from '../kind';
  import EditorProblem from './EditorProblem.svelte';
  import { Typing } from './typing.svelte';

  const editing: EditorProps = $props();
  // svelte-ignore state_referenced_locally
  const typing = new Typing(editing);
</script>

<textarea
  {@attach typing.focus}
  class="cell-editor"
  bind:value={typing.text}
  onkeydown={(event) => typing.key(event, true)}
  onblur={typing.left}
  aria-label={editing.place.field.label}
  rows="6"
  title="Ctrl+Enter keeps it"
></textarea>
<EditorProblem problem={typing.problem} />

<style>
  textarea.cell-editor {
    position: absolute;
    z-index: 15;
    min-width: 320px;
    height: auto;
    line-height: 1.4;
    white-space: pre-wrap;
    box-shadow: 0 6px 20px rgb(0 0 0 / 0.14);
  }
</style>
