<script lang="ts">
  import type { Problem } from '$core/base/problem';

  /**
   * Why a row is not saved. Below the row while one is in it; otherwise in the row itself, so that it hides no other:
   * beside the cells where there is room, else over the last of them.
   */
  const {
    problem,
    here,
    cells,
    sight,
    height,
    ondrop,
  }: {
    problem: Problem;
    /** Whether one is in the row. */
    here: boolean;
    /** In pixels: the width of all cells, what of them is in sight, and the height of a row. */
    cells: number;
    sight: { readonly left: number; readonly width: number };
    height: number;
    ondrop: () => void;
  } = $props();
  /** In pixels: less than this beside the cells is no room for words. */
  const least = 420;
  const room = $derived(sight.left + sight.width - cells);
  const beside = $derived(!here && room > least);
  const over = $derived(!here && !beside);
  const text = $derived(`Not saved: ${problem.message} ${problem.fix ?? ''}`);
</script>

<p
  class:below={here}
  role="alert"
  title={here ? undefined : text}
  style:left={over ? undefined : `${beside ? cells : sight.left}px`}
  style:right={over ? `${-room}px` : undefined}
  style:max-width="{beside ? room : sight.width}px"
  style:line-height={here ? undefined : `${height - 5}px`}
>
  <span><b>Not saved: {problem.message}</b> {problem.fix ?? ''}</span>
  <button tabindex="-1" onclick={ondrop} title="Shift+Delete">Drop it</button>
</p>

<style>
  p {
    position: absolute;
    top: 0;
    display: flex;
    gap: 8px;
    padding: 2px 10px;
    font-size: 12px;
    white-space: nowrap;
    background: var(--madder-tint);
    border-left: 3px solid var(--madder);
    box-shadow: 0 2px 6px rgb(0 0 0 / 0.12);
  }
  span {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .below {
    top: 100%;
    white-space: normal;
  }
  button {
    flex: none;
    text-decoration: underline;
  }
</style>
