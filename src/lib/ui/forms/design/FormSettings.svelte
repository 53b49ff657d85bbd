<script lang="ts">
  import { Input, Label, Textarea } from 'flowbite-svelte';
  import type { FormJson } from '$core/forms/formJson';
  import Button from '../../controls/Button.svelte';

  /** The words around a form: its name, what is read before and after, and for outsiders where it ends. */
  const { form, onset, onremove }: { form: FormJson; onset: (set: Partial<FormJson>) => void; onremove?: () => void } =
    $props();
  const uid = $props.id();
  const text = (event: Event) => (event.currentTarget as HTMLInputElement).value;
  const outside = $derived(form.audience === 'outside');
  const next = $derived(form.next ?? { label: '', address: '' });
  function setNext(set: Partial<typeof next>) {
    const now = { ...next, ...set };
    onset({ next: now.label === '' && now.address === '' ? null : now });
  }
</script>

<Label for="{uid}-label">Name, which is its heading</Label>
<Input
  id="{uid}-label"
  class="mt-1 py-1.5"
  value={form.label}
  required
  oninput={(event) => onset({ label: text(event) })}
/>
<Label class="mt-3" for="{uid}-intro">Before the first field</Label>
<Textarea
  id="{uid}-intro"
  class="mt-1 w-full"
  rows={3}
  value={form.intro}
  oninput={(event) => onset({ intro: text(event) })}
/>
<h3>Who fills it in</h3>
<div class="ticks">
  <label
    ><input type="radio" name="{uid}-for" checked={!outside} onchange={() => onset({ audience: 'inside' })} />
    members of the workspace</label
  >
  <label
    ><input type="radio" name="{uid}-for" checked={outside} onchange={() => onset({ audience: 'outside' })} />
    anybody who has an address of it</label
  >
</div>
{#if outside}
  <h3>After it was sent</h3>
  <Label for="{uid}-thanks">Thank-you message</Label>
  <Textarea
    id="{uid}-thanks"
    class="mt-1 w-full"
    rows={2}
    value={form.thanks}
    placeholder="what happens now"
    oninput={(event) => onset({ thanks: text(event) })}
  />
  <Label class="mt-3" for="{uid}-next">Follow-up link: its text</Label>
  <Input
    id="{uid}-next"
    class="mt-1 py-1.5"
    value={next.label}
    placeholder="none"
    oninput={(event) => setNext({ label: text(event) })}
  />
  <Label class="mt-3" for="{uid}-address">… and its address</Label>
  <Input
    id="{uid}-address"
    class="mt-1 py-1.5"
    type="url"
    value={next.address}
    placeholder="https://"
    oninput={(event) => setNext({ address: text(event) })}
  />
  <h3>The end</h3>
  <Label for="{uid}-most">Entries it takes in all, over all addresses</Label>
  <Input
    id="{uid}-most"
    class="mt-1 py-1.5"
    type="number"
    min="1"
    value={form.most ?? ''}
    placeholder="any number"
    oninput={(event) => onset({ most: Number(text(event)) || null })}
  />
  <Label class="mt-3" for="{uid}-closed">Message when closed</Label>
  <Textarea
    id="{uid}-closed"
    class="mt-1 w-full"
    rows={2}
    value={form.closed}
    placeholder="This form is closed."
    oninput={(event) => onset({ closed: text(event) })}
  />
{/if}
{#if onremove}<div class="steps"><Button kind="danger" onclick={onremove}>Delete form</Button></div>{/if}

<style>
  h3 {
    margin: 20px 0 6px;
    font-size: 13px;
    border-top: 1px solid var(--line);
    padding-top: 12px;
  }
  .ticks {
    display: flex;
    flex-direction: column;
    gap: 6px;
  }
  .steps {
    margin-top: 24px;
  }
</style>
