<script lang="ts">
  import type { TraceStep } from '$core/formula/trace';
  import { findField } from '$core/model/model';
  import type { Model } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { call, workspacePath, type Refused } from '../api';
  import { isCalculated } from '../values/show';

  /** How a calculated value came about: the formula part by part with its values, and the records that went in. */
  const {
    workspace,
    model,
    table,
    field,
    record,
    onfield,
  }: {
    workspace: string;
    model: Model;
    table: string;
    field: Field;
    record: number;
    /** Goes on with another calculated field of the same record. */
    onfield: (field: Field) => void;
  } = $props();

  interface Traced {
    readonly step: TraceStep;
    readonly gathered: readonly {
      readonly text: string;
      readonly table: { readonly key: string; readonly label: string; readonly home: string | null };
      readonly total: number;
      readonly records: readonly { readonly id: number; readonly title: string; readonly value: string | null }[];
    }[];
  }
  let traced = $state.raw<Traced | null>(null);
  let refused = $state<Refused | null>(null);

  $effect(() => {
    const path = workspacePath(workspace, `/tables/${table}/fields/${field.key}/trace/${record}`);
    [traced, refused] = [null, null];
    void call<Traced>('GET', path).then((answer) => {
      if (answer.ok) traced = answer.value;
      else refused = answer.problem;
    });
  });

  const rootOf = ({ table: from }: Traced['gathered'][number]) => `/w/${from.home ?? workspace}/t/${from.key}`;
  /** A field of the same record that is calculated itself. */
  const further = (id: string | null) => {
    const found = id === null ? undefined : findField(model, id);
    return found && found.table.key === table && isCalculated(found.field) ? found.field : null;
  };
</script>

{#snippet row(step: TraceStep, depth: number)}
  {@const next = further(step.field)}
  <li>
    <div class="step" style:--depth={depth}>
      <code>{step.text}</code>
      <span class="value" class:blank={step.value === null}>{step.value ?? 'blank'}</span>
    </div>
    {#if step.note || next}
      <p style:--depth={depth}>
        {step.note}
        {#if next}<button type="button" onclick={() => onfield(next)}>How {next.label} came about</button>{/if}
      </p>
    {/if}
    {#if step.parts.length > 0}
      <ul>
        {#each step.parts as part, index (index)}{@render row(part, depth + 1)}{/each}
      </ul>
    {/if}
  </li>
{/snippet}

{#if refused}
  <p class="refused" role="alert">{refused.message} {refused.fix ?? ''}</p>
{:else if !traced}
  <p>Looking at every part …</p>
{:else}
  <ul class="tree" aria-label="The formula, part by part">{@render row(traced.step, 0)}</ul>
  {#each traced.gathered as set, index (index)}
    <h3>{set.total.toLocaleString()} {set.table.label} in <code>{set.text}</code></h3>
    {#if set.total > 0}
      <table>
        <tbody>
          {#each set.records as one (one.id)}
            <tr
              ><th scope="row"><a href="{rootOf(set)}?record={one.id}">{one.title}</a></th><td>{one.value ?? ''}</td
              ></tr
            >
          {/each}
        </tbody>
      </table>
      {#if set.total > set.records.length}<p>
          The first {set.records.length} are shown, those with the greatest share first.
        </p>{/if}
    {/if}
  {/each}
{/if}

<style>
  .step {
    display: flex;
    gap: 12px;
    justify-content: space-between;
    padding: 4px 0 4px calc(var(--depth) * 14px);
    border-top: 1px solid var(--line);
  }
  code {
    font-size: 12px;
    overflow-wrap: anywhere;
  }
  .value {
    flex: none;
    max-width: 55%;
    font-weight: 600;
    text-align: right;
    overflow-wrap: anywhere;
    font-variant-numeric: tabular-nums;
  }
  .blank {
    color: var(--ink-faint);
    font-style: italic;
    font-weight: 400;
  }
  p {
    padding-left: calc(var(--depth, 0) * 14px);
    padding-bottom: 4px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  button,
  a {
    color: var(--woad);
    text-decoration: underline;
  }
  h3 {
    margin: 16px 0 4px;
    font-size: 14px;
    font-weight: 600;
  }
  table {
    width: 100%;
    font-size: 13px;
  }
  th,
  td {
    padding: 3px 0;
    border-bottom: 1px solid var(--line);
  }
  th {
    font-weight: 400;
    text-align: left;
  }
  td {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .refused {
    color: var(--madder);
  }
</style>
