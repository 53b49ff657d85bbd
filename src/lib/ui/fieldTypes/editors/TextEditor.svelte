<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { EditorProps } from '../kind';
  import EditorProblem from './EditorProblem.svelte';
  import { Typing } from './typing.svelte';

  /** One line. */
  const {
    typing: given,
    numbers = false,
    shape,
    title,
    onkey,
    children,
    ...editing
  }: EditorProps & {
    /** What is typed, where something else writes into it as well. */
    typing?: Typing;
    numbers?: boolean;
    /** What the line asks for. */
    shape?: string | undefined;
    title?: string;
    /** Looks at a key first; true where it was for something else. */
    onkey?: (event: KeyboardEvent) => boolean;
    children?: Snippet;
  } = $props();
  // svelte-ignore state_referenced_locally
  const typing = given ?? new Typing(editing);
  const field = $derived(editing.place.field);
</script>

<span class="holder">
  <input
    {@attach typing.focus}
    class="cell-editor"
    class:number={numbers}
    type="text"
    placeholder={shape ?? field.placeholder}
    inputmode={numbers ? 'decimal' : undefined}
    bind:value={typing.text}
    oninput={() => (typing.problem = null)}
    aria-invalid={typing.problem !== null}
    onkeydown={(event) => onkey?.(event) || typing.key(event)}
    onblur={typing.left}
    aria-label={field.label}
    {title}
  />
  {@render children?.()}
</span>
<EditorProblem problem={typing.problem} />

<style>
  .holder {
    position: relative;
    display: flex;
    width: 100%;
    height: 100%;
  }
  .number {
    text-align: right;
  }
</style>
