<script lang="ts">
  import { Checkbox, Input, Label, Select } from 'flowbite-svelte';
  import { withDraftLink } from '$core/changes/draftLink';
  import { isToMany, ownTables, tableNamed } from '$core/model/model';
  import type { SettingsProps } from '../kind';

  /** Where a link points, what is seen of its target, and what becomes of it. */
  let { draft = $bindable(), place, formulaEditor }: SettingsProps = $props();
  const { model, table, start, own } = $derived(place);
  const becomesLink = $derived(start !== null && start.type !== 'link');
  const targets = $derived([
    ...ownTables(model).map(({ key, label }) => ({ value: key, name: label })),
    ...place.others.map(({ path, label }) => ({ value: path, name: label })),
  ]);
  const target = $derived(tableNamed(model, draft.to));
  const offered = $derived(
    target?.fields.filter(
      (field) => field.id !== target.title && !field.off && !isToMany(field) && field.type.kind !== 'counterpart',
    ) ?? [],
  );
  const rules = $derived([
    { value: 'prevent', name: 'prevent its deletion' },
    { value: 'clear', name: draft.many ? 'take it out of this field' : 'clear this field' },
    ...(draft.many ? [] : [{ value: 'remove', name: 'delete this record, too' }]),
  ]);
  /** The limit of the candidates reads the link, which is not there before it is made. */
  const limited = $derived(
    target && (start === null || becomesLink)
      ? { model: withDraftLink(model, table.id, own, target.id), local: true }
      : { model, local: false },
  );
  const turned = (list: readonly string[], key: string) =>
    list.includes(key) ? list.filter((one) => one !== key) : [...list, key];
</script>

<Label class="mt-3"
  >Points at<Select
    class="mt-1 py-1.5"
    bind:value={draft.to}
    disabled={start !== null && !becomesLink}
    required
    items={targets}
    placeholder="Choose a table"
  /></Label
>
<div class="mt-3"><Checkbox bind:checked={draft.many}>to several records at once</Checkbox></div>
{#if becomesLink}
  <Label class="mt-3"
    >Texts that name no record<Select
      class="mt-1 py-1.5"
      bind:value={draft.missing}
      placeholder=""
      items={[
        { value: 'setAside', name: 'are set aside' },
        { value: 'create', name: 'become new records' },
      ]}
    /></Label
  >
{/if}
{#if start === null || becomesLink}
  <Label class="mt-3"
    >Name of the reverse link<Input
      class="mt-1 py-1.5"
      bind:value={draft.counterpart}
      placeholder={table.label}
    /></Label
  >
  {#if start === null}<div class="mt-2">
      <Checkbox bind:checked={draft.counterpartShown}>shown there</Checkbox>
    </div>{/if}
{/if}
<Label class="mt-3"
  >When the linked record is deleted<Select
    class="mt-1 py-1.5"
    bind:value={draft.onDelete}
    items={rules}
    placeholder=""
  /></Label
>
{#if target && !draft.many}
  <p class="label mt-3">Shown beside the title when choosing</p>
  <div class="ticks">
    {#each offered as field (field.id)}<Checkbox
        checked={draft.shows.includes(field.key)}
        onchange={() => (draft.shows = turned(draft.shows, field.key))}>{field.label}</Checkbox
      >{/each}
  </div>
  <div class="mt-3">
    <p class="label">Only records for which</p>
    {#key `${limited.model === model} ${draft.to} ${own.key}`}
      {@render formulaEditor({
        model: limited.model,
        formula: draft.candidates,
        condition: 'Only records for which',
        local: limited.local,
        example: `${own.key}.${offered[0]?.key ?? 'apiary'} = ${offered[0]?.key ?? 'apiary'}`,
        onchange: (formula) => (draft.candidates = formula),
      })}
    {/key}
  </div>
{/if}
{#if target && start === null}
  <p class="label mt-3">Bring along, as looked-up fields</p>
  <div class="ticks">
    {#each offered as field (field.id)}<Checkbox
        checked={draft.brings.includes(field.key)}
        onchange={() => (draft.brings = turned(draft.brings, field.key))}>{field.label}</Checkbox
      >{/each}
  </div>
{/if}

<style>
  .ticks {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 4px 10px;
    max-height: 120px;
    overflow: auto;
  }
</style>
