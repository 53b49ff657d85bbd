<script lang="ts">
  import type { Written } from '$core/filled/written';
  import { findTable } from '$core/model/model';
  import type { Field } from '$core/types/field';
  import type { Model } from '$core/types/model';
  import { titleChoices } from '../fieldTypes/editors/linkChoices';
  import FormInput from '../forms/fill/FormInput.svelte';
  import { useFrame } from '../frame/context';

  /** What a button asks for, each by the control of its type. */
  const {
    workspace,
    model,
    inputs,
    values,
    onchange,
  }: {
    workspace: string;
    model: Model;
    inputs: readonly Field[];
    /** By the keys of the inputs. */
    values: Written;
    onchange: (values: Written) => void;
  } = $props();
  const id = $props.id();
  const frame = useFrame();

  const choices = (field: Field) => (typed: string) => {
    const to = field.type.kind === 'link' ? findTable(model, field.type.to) : undefined;
    return to ? titleChoices(to.home ?? workspace, to.key, typed) : Promise.resolve([]);
  };
</script>

{#each inputs as field (field.key)}
  <div class="input">
    <label for="{id}-{field.key}"
      >{field.label}{#if field.required !== false}<span aria-hidden="true"> *</span>{/if}</label
    >
    <FormInput
      id="{id}-{field.key}"
      {field}
      label={field.label}
      placeholder=""
      value={values[field.key] ?? null}
      zone={frame.workspace.zone}
      required={field.required !== false}
      invalid={false}
      choices={choices(field)}
      onchange={(value) => onchange({ ...values, [field.key]: value })}
    />
  </div>
{/each}

<style>
  .input {
    margin-bottom: 10px;
  }
  label {
    color: var(--ink-soft);
    font-size: 13px;
  }
</style>
