<script lang="ts">
  import Button from '../controls/Button.svelte';

  /** The name of a view, and whose it is to be. */
  const {
    label,
    personal,
    mayShare,
    word,
    choose = true,
    onname,
    oncancel,
  }: {
    label: string;
    personal: boolean;
    mayShare: boolean;
    word: string;
    /** Whether it can be said here whose it is. */
    choose?: boolean;
    onname: (label: string, personal: boolean) => void;
    oncancel: () => void;
  } = $props();
  // svelte-ignore state_referenced_locally
  let name = $state(label);
  // svelte-ignore state_referenced_locally
  let own = $state(personal);
  const begin = (node: HTMLInputElement) => (node.focus(), node.select());
</script>

<form onsubmit={(event) => (event.preventDefault(), name.trim() && onname(name.trim(), own))}>
  <label
    >Name of the view <input
      class="in-line name"
      {@attach (node) => void begin(node)}
      bind:value={name}
      maxlength="120"
    /></label
  >
  {#if choose && mayShare}
    <label><input type="radio" bind:group={own} value={false} /> everybody’s</label>
    <label><input type="radio" bind:group={own} value={true} /> mine alone</label>
  {/if}
  <Button kind="main" type="submit" disabled={name.trim() === ''}>{word}</Button>
  <Button onclick={oncancel}>Cancel</Button>
</form>

<style>
  form,
  label {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    font-size: 13px;
  }
  form {
    gap: 14px;
  }
  .name {
    width: 240px;
  }
</style>
