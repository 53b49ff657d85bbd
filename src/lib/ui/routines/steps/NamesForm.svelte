<script lang="ts">
  import { isEntered, isFed, tableNamed } from '$core/model/model';
  import { tableKey } from '$core/filled/written';
  import type { StepFormProps } from '../step';
  import TableChoice from '../TableChoice.svelte';
  import { pathsOf } from '../value';
  import ValueChoice from '../ValueChoice.svelte';

  /** A list of words in a text becomes records that link back. */
  const { model, scope, step, onchange }: StepFormProps = $props();
  const table = $derived(tableNamed(model, String(step.table ?? '')));
  const links = $derived(
    (table?.fields ?? []).filter(
      (field) => field.type.kind === 'link' && field.type.to === scope.table.id && !isFed(field),
    ),
  );
  const texts = $derived((table?.fields ?? []).filter((field) => field.type.kind === 'text' && isEntered(field)));
  const isText = $derived(pathsOf(scope, 'text'));
  function take(key: string) {
    const chosen = tableNamed(model, key);
    const link = chosen?.fields.find(
      (field) => field.type.kind === 'link' && field.type.to === scope.table.id && !isFed(field),
    );
    const field = chosen?.fields.find((one) => one.id === chosen.title && one.type.kind === 'text');
    onchange({ ...step, table: key, field: field?.key ?? '', link: link?.key ?? '' });
  }
</script>

<div class="asking">
  <label
    >the words of
    <ValueChoice
      label="Text with the words"
      {scope}
      formula={String(step.text ?? '')}
      only={isText}
      onchange={(text) => onchange({ ...step, text })}
    /></label
  >
  <label
    >with this between them
    <input
      class="in-line short"
      value={step.separator ?? ','}
      maxlength="20"
      oninput={(event) => onchange({ ...step, separator: event.currentTarget.value })}
    /></label
  >
</div>
<div class="asking">
  <TableChoice
    label="become records of"
    {model}
    fit={(one) =>
      one.fields.some((field) => field.type.kind === 'link' && field.type.to === scope.table.id && !isFed(field))}
    value={table ? tableKey(table) : ''}
    onchange={take}
  />
  {#if table}
    <label
      >the word goes into
      <select
        class="in-line"
        value={step.field}
        onchange={(event) => onchange({ ...step, field: event.currentTarget.value })}
      >
        <option value="" disabled>choose a field</option>
        {#each texts as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </select></label
    >
    <label
      >linked back by
      <select
        class="in-line"
        value={step.link}
        onchange={(event) => onchange({ ...step, link: event.currentTarget.value })}
      >
        {#each links as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </select></label
    >
  {/if}
</div>

<style>
  .short {
    width: 70px;
  }
</style>
