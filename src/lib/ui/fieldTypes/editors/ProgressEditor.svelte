<script lang="ts">
  import type { EditorProps } from '../kind';
  import EditorProblem from './EditorProblem.svelte';
  import { Typing } from './typing.svelte';

  /** A share, typed or slid. */
  const editing: EditorProps = $props();
  // svelte-ignore state_referenced_locally
  const typing = new Typing(editing);
  const { label } = $derived(editing.place.field);
</script>

<span class="progress">
  <input
    {@attach typing.focus}
    class="cell-editor"
    type="text"
    inputmode="decimal"
    bind:value={typing.text}
    onkeydown={(event) => typing.key(event)}
    onblur={(event) => !(event.relatedTarget as Element | null)?.matches('[type=range]') && typing.left()}
    aria-label={label}
  />
  <input
    class="cell-editor"
    type="range"
    min="0"
    max="100"
    step="5"
    value={Number.parseFloat(typing.text) || 0}
    aria-label="{label}, by sliding"
    oninput={(event) => (typing.text = `${event.currentTarget.value} %`)}
    onkeydown={(event) => typing.key(event)}
    onblur={typing.left}
  />
</span>
<EditorProblem problem={typing.problem} />

<style>
  .progress {
    position: relative;
    display: flex;
    width: 100%;
    height: 100%;
  }
  .progress input:first-child {
    width: 70px;
    flex: none;
  }
</style>
