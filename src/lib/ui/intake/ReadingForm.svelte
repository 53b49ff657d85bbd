<script lang="ts">
  import { Input, Label, Select } from 'flowbite-svelte';
  import { encodings, type IntakeSheet, type ReadingWish } from '$core/intake/intake';
  import Button from '../controls/Button.svelte';

  /** How a file was read, and the other ways to read it. */
  const {
    file,
    sheet,
    wish,
    onread,
    oncancel,
  }: {
    file: string;
    sheet: IntakeSheet | undefined;
    wish: ReadingWish;
    onread: (wish: ReadingWish) => void;
    oncancel: () => void;
  } = $props();
  // svelte-ignore state_referenced_locally
  let encoding = $state(wish.encoding ?? sheet?.read.encoding ?? 'utf-8');
  // svelte-ignore state_referenced_locally
  let delimiter = $state(wish.delimiter ?? sheet?.read.delimiter ?? ',');
  // svelte-ignore state_referenced_locally
  let quote = $state(wish.quote ?? sheet?.read.quote ?? '"');
  // svelte-ignore state_referenced_locally
  let preamble = $state(wish.preamble ?? sheet?.heading.preamble ?? 0);
  // svelte-ignore state_referenced_locally
  let header = $state(wish.header ?? sheet?.heading.rows ?? 1);
  // svelte-ignore state_referenced_locally
  let oneTable = $state(wish.oneTable ?? false);
  const isText = $derived((sheet?.read.kind ?? 'delimited text') === 'delimited text');

  function read(event: SubmitEvent) {
    event.preventDefault();
    onread({
      ...(isText ? { encoding, delimiter, quote } : {}),
      preamble: Number(preamble),
      header: Number(header),
      ...(oneTable ? { oneTable } : {}),
    });
  }
</script>

<form onsubmit={read} aria-label="How {file} is read">
  {#if isText}
    <Label
      >Encoding<Select
        class="mt-1 py-1.5"
        bind:value={encoding}
        placeholder=""
        items={encodings.map((value) => ({ value, name: value }))}
      /></Label
    >
    <Label
      >Between cells<Select
        class="mt-1 py-1.5"
        bind:value={delimiter}
        placeholder=""
        items={[
          { value: ',', name: 'comma' },
          { value: ';', name: 'semicolon' },
          { value: '\t', name: 'tab' },
          { value: '|', name: 'bar' },
          { value: ':', name: 'colon' },
          { value: ' ', name: 'blank' },
        ]}
      /></Label
    >
    <Label
      >Around texts<Select
        class="mt-1 py-1.5"
        bind:value={quote}
        placeholder=""
        items={[
          { value: '"', name: 'double marks "' },
          { value: "'", name: "single marks '" },
        ]}
      /></Label
    >
  {/if}
  <Label>Rows above the names<Input class="mt-1 h-[42px]" type="number" min="0" max="99" bind:value={preamble} /></Label
  >
  <Label
    >Names go over<Select
      class="mt-1 py-1.5"
      bind:value={header}
      placeholder=""
      items={[
        { value: 0, name: 'no row: there are none' },
        { value: 1, name: 'one row' },
        { value: 2, name: 'two rows' },
        { value: 3, name: 'three rows' },
      ]}
    /></Label
  >
  <Label
    >Several tables in a sheet<Select
      class="mt-1 py-1.5"
      bind:value={oneTable}
      placeholder=""
      items={[
        { value: false, name: 'are told apart' },
        { value: true, name: 'are one table' },
      ]}
    /></Label
  >
  <div class="ends">
    <Button kind="main" type="submit">Read it again</Button>
    <Button kind="quiet" onclick={oncancel}>Cancel</Button>
  </div>
  <p>Everything is found anew; what you decided stays for columns that keep their names.</p>
</form>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: end;
    padding: 10px 14px 12px;
    margin-bottom: 12px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
  }
  form :global(label) {
    min-width: 120px;
  }
  .ends {
    display: flex;
    gap: 8px;
  }
  p {
    flex-basis: 100%;
    color: var(--ink-faint);
    font-size: 12px;
  }
</style>
