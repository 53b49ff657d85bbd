<script lang="ts">
  import { Label, Select } from 'flowbite-svelte';
  import type { Reason } from '$core/intake/columns/meaning';
  import { call } from '../api';
  import Reasons from './Reasons.svelte';

  /** Why a column was not taken for something: what was counted, and what speaks for and against it. */
  const {
    path,
    sheet,
    column,
    places,
  }: {
    path: string;
    sheet: number;
    column: number;
    /** Tables that it could point at. */
    places: readonly { readonly value: string; readonly name: string }[];
  } = $props();

  interface Answer {
    readonly proposed: boolean;
    readonly says: string;
    readonly reasons: readonly Reason[];
  }

  let what = $state('');
  let answer = $state.raw<Answer | null>(null);
  let problem = $state('');
  const asked = $derived([
    { value: 'key', name: 'the key' },
    { value: 'split', name: 'a table of its own' },
    ...places.map(({ value, name }) => ({ value, name: `a link to ${name}` })),
  ]);
  $effect(() => {
    answer = null;
    problem = '';
    if (what === '') return;
    let gone = false;
    void call<Answer>('GET', `${path}/why-not?sheet=${sheet}&column=${column}&what=${encodeURIComponent(what)}`).then(
      (told) => {
        if (gone) return;
        if (told.ok) answer = told.value;
        else problem = told.problem.message;
      },
    );
    return () => (gone = true);
  });
</script>

<Label class="mt-3"
  >Why not …<Select class="mt-1 py-1.5" placeholder="choose what you expected" bind:value={what} items={asked} /></Label
>
<div class="mb-3" aria-live="polite">
  {#if answer}
    <p class="mt-2">
      {#if answer.proposed}It is proposed.{/if}
      {answer.says}
    </p>
    <Reasons reasons={answer.reasons} of="it" />
  {:else if problem !== ''}<p class="mt-2">{problem}</p>{:else if what !== ''}<p class="mt-2">Counting …</p>{/if}
</div>
