<script lang="ts">
  import { Label, Select } from 'flowbite-svelte';
  import type {
    ColumnDecision,
    ColumnMapping,
    FoundLink,
    IntakeSheet,
    MissingTargets,
    StandingMatch,
  } from '$core/intake/intake';
  import { isEntered } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import NearMisses from './NearMisses.svelte';

  /**
   * How a link column finds its targets: by which field, what is meant by texts that miss, and what becomes of the
   * rest.
   */
  const {
    path,
    sheet,
    column,
    sheets,
    model,
    link,
    standing,
    target,
    mapping,
    decision,
    ondecide,
  }: {
    path: string;
    sheet: number;
    column: number;
    sheets: readonly IntakeSheet[];
    model: Model;
    link: FoundLink | undefined;
    standing: StandingMatch | undefined;
    /** The table that is pointed at, as it stands or will. */
    target: Table | undefined;
    mapping: ColumnMapping | undefined;
    decision: ColumnDecision;
    ondecide: (decision: ColumnDecision) => void;
  } = $props();

  const found = $derived(link ?? standing);
  const second = $derived(link?.also?.from ?? standing?.also?.column ?? mapping?.also?.column);
  const telling = $derived(
    target && model.tables.some(({ id }) => id === target.id)
      ? target.fields.filter(
          (field) =>
            (isEntered(field) || field.type.kind === 'runningNumber') &&
            ['text', 'email', 'number', 'runningNumber', 'phone'].includes(field.type.kind),
        )
      : [],
  );
  const valueOf = (event: Event) => (event.currentTarget as HTMLSelectElement).value;
</script>

{#if found && target}
  <p>
    {found.matching.toLocaleString()}
    {found.matching === 1 ? 'value finds its record' : 'values find their record'} of {target.label}{found.missing > 0
      ? `; ${found.missing.toLocaleString()} ${found.missing === 1 ? 'does' : 'do'} not.`
      : '; none is missing.'}
    {#if second !== undefined}Only <code>{sheets[sheet]?.columns[second]?.name}</code> and this column together tell it.{/if}
    {#if found.separator}Each cell may name several, apart by “{found.separator}”.{/if}
  </p>
{/if}
{#if telling.length > 1 && !link}
  <Label class="mt-2"
    >Match on<Select
      class="mt-1 py-1.5"
      placeholder=""
      value={mapping?.match ?? ''}
      items={telling.map(({ id, label }) => ({ value: id, name: label }))}
      onchange={(event: Event) => ondecide({ match: valueOf(event) })}
    /></Label
  >
{/if}
<Label class="mt-2 mb-3"
  >Texts that find nothing<Select
    class="mt-1 py-1.5"
    placeholder=""
    value={decision.missing ?? 'setAside'}
    items={[
      { value: 'setAside', name: 'are set aside; the row comes in' },
      ...(second !== undefined
        ? []
        : [{ value: 'create', name: `make a new record of ${target?.label ?? 'the target'}` }]),
      { value: 'refuse', name: 'keep the row out' },
    ]}
    onchange={(event: Event) => ondecide({ missing: valueOf(event) as MissingTargets })}
  /></Label
>
{#if second !== undefined}
  <ul>
    {#each found?.misfits.slice(0, 12) ?? [] as { text, count } (text)}<li>
        <code>{text}</code><span>{count.toLocaleString()}</span>
      </li>{/each}
  </ul>
{:else}
  {#key `${sheet}.${column}.${mapping?.match ?? ''}`}
    <NearMisses
      {path}
      {sheet}
      {column}
      confirmed={decision.replace ?? []}
      onconfirm={(replace) => ondecide({ replace })}
    />
  {/key}
{/if}

<style>
  li {
    display: flex;
    justify-content: space-between;
    font-size: 13px;
    border-bottom: 1px solid var(--line);
  }
</style>
