<script lang="ts">
  import { takeEntry } from '$core/forms/entry';
  import { formPage } from '$core/forms/formPage';
  import type { Field } from '$core/types/field';
  import { plainReading } from '$core/fieldTypes/registry';
  import type { Choice } from '../../controls/Combo.svelte';
  import type { FormDesign } from './formDesign.svelte';
  import FormFill from '../fill/FormFill.svelte';

  /** A form as it will be, where sending tells what would be wrong and writes nothing. */
  const {
    design,
    zone,
    today,
    choices,
    ontried,
  }: {
    design: FormDesign;
    zone: string;
    today: string;
    choices: (field: Field) => (typed: string) => Promise<readonly Choice[]>;
    /** It would have been taken. */
    ontried: () => void;
  } = $props();
  const { model, table } = $derived(design.ground);
  const page = $derived(
    design.form &&
      (design.form.audience === 'outside' ? formPage(model, table, design.form) : { form: design.form, model, table }),
  );

  function tryOut(values: Readonly<Record<string, unknown>>) {
    const { problems } = design.form
      ? takeEntry(model, table, design.form, values, { ...plainReading, zone, today })
      : { problems: [] };
    const [first] = problems;
    if (first)
      return Promise.resolve({
        ok: false as const,
        problem: { status: 422, message: first.message, fix: first.fix, problems },
      });
    ontried();
    return Promise.resolve({ ok: true as const, value: null });
  }
</script>

{#if page}
  {#key JSON.stringify(design.json)}
    <FormFill
      {page}
      {zone}
      {today}
      action={design.json.audience === 'outside' ? 'Send' : 'Save the record'}
      choices={(field, typed) => choices(field)(typed)}
      send={tryOut}
    >
      {#snippet list()}<p>Linked records are listed here once the record is there.</p>{/snippet}
    </FormFill>
  {/key}
{/if}

<style>
  p {
    color: var(--ink-soft);
  }
</style>
