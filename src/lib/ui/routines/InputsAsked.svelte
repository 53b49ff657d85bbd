<script lang="ts">
  import type { Written } from '$core/filled/written';
  import { tableKey } from '$core/filled/written';
  import { findTable } from '$core/model/model';
  import type { Field } from '$core/types/field';
  import type { Model } from '$core/types/model';
  import { call, workspacePath } from '../api';
  import type { Choice } from '../controls/Combo.svelte';
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

  const choices =
    (field: Field) =>
    async (typed: string): Promise<Choice[]> => {
      const to = field.type.kind === 'link' ? findTable(model, field.type.to) : undefined;
      if (!to) return [];
      const [home, key] = to.home === undefined ? [workspace, to.key] : [to.home, tableKey(to).split('.')[1] ?? ''];
      const query = new URLSearchParams({ q: typed, limit: '12' });
      const answer = await call<{ items: { id: number; title: string | null }[] }>(
        'GET',
        workspacePath(home, `/tables/${key}/titles?${query}`),
      );
      return answer.ok
        ? answer.value.items.map((one) => ({
            label: one.title ?? `#${one.id}`,
            value: { id: one.id, title: one.title },
          }))
        : [];
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
