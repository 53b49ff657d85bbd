<script lang="ts">
  import Button from './Button.svelte';

  /** A secret that is shown in this moment only, to be copied. */
  const { words, text, done }: { words: string; text: string; done: () => void } = $props();
</script>

<div class="secret" role="status">
  <p>{words}</p>
  <p class="line"><code>{text}</code></p>
  <Button onclick={() => void navigator.clipboard.writeText(text)}>Copy</Button>
  <Button kind="quiet" onclick={done}>Done</Button>
</div>

<style>
  .secret {
    padding: 12px 16px;
    margin-bottom: 18px;
    background: var(--lichen-tint);
    border: 1px solid var(--lichen);
  }
  .line {
    margin: 8px 0;
  }
  code {
    overflow-wrap: anywhere;
    font: 14px var(--mono);
  }
</style>
