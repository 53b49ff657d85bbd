<script lang="ts">
  import { Input, Label } from 'flowbite-svelte';
  import Button from '../../controls/Button.svelte';
  import { counted } from '../../values/words';
  import { addressState, endOfDay, type AddressOut } from './addressWords';

  /** The addresses of a form: each copied, closed, opened again, given an end and limits; a new one made. */
  const {
    addresses,
    origin,
    onmake,
    onset,
    onremove,
  }: {
    addresses: readonly AddressOut[];
    /** What stands before the path. */
    origin: string;
    onmake: (settings: Record<string, unknown>) => void;
    onset: (id: number, settings: Record<string, unknown>) => void;
    onremove: (id: number) => void;
  } = $props();
  const uid = $props.id();
  let copied = $state<number | null>(null);
  let making = $derived(addresses.length === 0);
  let draft = $state({ label: '', until: '', most: '', mostHourly: '60' });

  async function copy(one: AddressOut) {
    await navigator.clipboard.writeText(origin + one.path);
    copied = one.id;
  }
  function make(event: SubmitEvent) {
    event.preventDefault();
    onmake({
      label: draft.label,
      expiresAt: draft.until ? endOfDay(draft.until) : null,
      most: Number(draft.most) || null,
      mostHourly: Number(draft.mostHourly) || 60,
    });
    draft = { label: '', until: '', most: '', mostHourly: '60' };
    making = false;
  }
</script>

<p class="about">
  Whoever has an address can fill the form in, and sees nothing else. Give each place its own: then each can be closed
  alone.
</p>
<ul>
  {#each addresses as one (one.id)}
    {@const state = addressState(one)}
    <li class:closed={state.ended}>
      <p class="name"><b>{one.label}</b><span>{counted(one.entries, 'entry', 'entries')}</span></p>
      <p class="path"><code>{origin}{one.path}</code></p>
      <p class="state">{state.words}</p>
      <div class="steps">
        <Button onclick={() => void copy(one)} label="Copy the address for {one.label}"
          >{copied === one.id ? 'Copied' : 'Copy'}</Button
        >
        <Button href={one.path} label="Open the address for {one.label}">Open</Button>
        <Button
          onclick={() => onset(one.id, { closed: !one.closed })}
          label="{one.closed ? 'Open again' : 'Close'}: {one.label}"
          >{one.closed ? 'Take entries again' : 'Close it'}</Button
        >
        <Button kind="danger" onclick={() => onremove(one.id)} label="Take away the address for {one.label}"
          >Take away</Button
        >
      </div>
    </li>
  {/each}
</ul>
{#if making}
  <form onsubmit={make}>
    <h3>A new address</h3>
    <Label for="{uid}-label">Whom or what it is for</Label>
    <Input
      id="{uid}-label"
      class="mt-1 py-1.5"
      bind:value={draft.label}
      required
      maxlength={120}
      placeholder="the village board"
    />
    <Label class="mt-3" for="{uid}-until">Takes entries until the end of</Label>
    <Input id="{uid}-until" class="mt-1 py-1.5" type="date" bind:value={draft.until} />
    <Label class="mt-3" for="{uid}-most">Entries in all</Label>
    <Input id="{uid}-most" class="mt-1 py-1.5" type="number" min="1" bind:value={draft.most} placeholder="any number" />
    <Label class="mt-3" for="{uid}-hourly">Entries an hour from one place</Label>
    <Input id="{uid}-hourly" class="mt-1 py-1.5" type="number" min="1" bind:value={draft.mostHourly} />
    <div class="steps"><Button kind="main" type="submit">Make the address</Button></div>
  </form>
{:else}<Button kind="quiet" onclick={() => (making = true)}>Make another address</Button>{/if}

<style>
  .about,
  .state {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .about {
    margin-bottom: 12px;
  }
  li {
    padding: 10px 12px;
    margin-bottom: 10px;
    border: 1px solid var(--line);
    border-left: 3px solid var(--lichen);
    border-radius: var(--radius);
  }
  li.closed {
    border-left-color: var(--line-strong);
  }
  .name {
    display: flex;
    justify-content: space-between;
  }
  .path {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-top: 8px;
  }
  h3 {
    margin-bottom: 8px;
    font-size: 14px;
  }
  form {
    padding-top: 12px;
    margin-top: 12px;
    border-top: 1px solid var(--line);
  }
</style>
