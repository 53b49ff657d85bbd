<script lang="ts">
  import { Checkbox } from 'flowbite-svelte';
  import { tableNamed } from '$core/model/model';
  import { call, workspacePath } from '../../api';
  import { counted } from '../../values/words';
  import type { DraftType } from '../fieldDraft';
  import { optionsOfValues } from '../kinds/optionList';
  import type { SettingsProps } from '../kind';
  import OptionsForm from './OptionsForm.svelte';

  /** A list of options; what stands in a field that becomes one is proposed as its options. */
  let { draft = $bindable(), place }: SettingsProps = $props();
  const { start } = $derived(place);
  const isList = (type?: DraftType) => type === 'option' || type === 'options';
  /** What stands in the field becomes the list, as far as a person leaves it so. */
  const becomesList = $derived(start !== null && !isList(start.type) && start.type !== 'link');
  const listed = $derived(draft.listed);
  $effect(() => {
    if (!becomesList || listed?.as === draft.type) return;
    const as = draft.type;
    const several = as === 'options';
    void call<{ values: { label: string; count: number; near: string | null }[]; left: number }>(
      'GET',
      workspacePath(place.workspace, `/tables/${place.table.key}/fields/${start?.key}/values?several=${several}`),
    ).then((answer) => {
      if (draft.type !== as) return;
      if (!answer.ok) return void (draft.listed = { as, left: 0, refused: answer.problem.message });
      draft.options = optionsOfValues(answer.value.values);
      draft.listed = { as, left: answer.value.left };
    });
  });
</script>

<p class="label mt-3">Options</p>
{#if start?.type === 'link'}
  <p class="hint">
    The records of {tableNamed(place.model, draft.to)?.label ?? 'the linked table'} become the options, those that nothing
    links as well, in their order.
  </p>
{:else}
  {#if becomesList}<p class="hint">
      {listed?.refused
        ? `The values could not be read: ${listed.refused} Type the options, or leave them to the plan.`
        : listed
          ? 'From the values in this field. What you take out of the list is set aside.'
          : 'Reading the values …'}
      {#if listed && listed.left > 0}<b
          >{counted(listed.left, 'further value')} will be set aside: a list takes 500 options of 120 characters.</b
        >{/if}
    </p>{/if}
  <OptionsForm bind:options={draft.options} />
{/if}
<div class="mt-2"><Checkbox bind:checked={draft.open}>people may add others while they enter</Checkbox></div>
{#if !draft.open}<div class="mt-2">
    <Checkbox bind:checked={draft.buttons}
      >{draft.type === 'option' ? 'entered by buttons' : 'entered by tick boxes'}, all in sight</Checkbox
    >
  </div>{/if}
{#if place.ontable && start}<p class="hint">
    <button type="button" class="as-link" onclick={place.ontable}>Turn the list into a table</button> of its own, linked from
    here
  </p>{/if}

<style>
  .as-link {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
