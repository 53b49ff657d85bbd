<script lang="ts">
  import type { Table } from '$core/types/model';
  import type { Written } from '$core/filled/written';
  import type { Target } from './targets';

  /** How the fields of a table are filled from another's: by a field of it, or by a formula over it. */
  const {
    label,
    targets,
    from,
    fields,
    onchange,
  }: {
    label: string;
    targets: readonly Target[];
    from: Table;
    /** `{field, formula}`; what is not among them stays blank. */
    fields: readonly Written[];
    onchange: (fields: readonly Written[]) => void;
  } = $props();
  const sources = $derived(from.fields.filter(({ type }) => type.kind !== 'counterpart'));
  const of = (key: string) => fields.find(({ field }) => field === key);
  const formulaOf = (key: string): string => String(of(key)?.formula ?? '');
  const isField = (formula: string) => formula === '' || sources.some(({ key }) => key === formula);
  let written = $state<readonly string[]>([]);

  function set(key: string, formula: string) {
    const others = fields.filter(({ field }) => field !== key);
    onchange(formula.trim() === '' ? others : [...others, { ...(of(key) ?? {}), field: key, formula }]);
  }
</script>

<table class="lines">
  <thead><tr><th>{label}</th><th>from {from.label}</th></tr></thead>
  <tbody>
    {#each targets as field (field.key)}
      {@const formula = formulaOf(field.key)}
      {@const byFormula = written.includes(field.key) || !isField(formula)}
      <tr class:blank={formula === ''}>
        <td
          >{field.label}{#if field.required}<span class="must" title="must be filled"> *</span>{/if}</td
        >
        <td>
          {#if byFormula}
            <input
              class="in-line"
              value={formula}
              aria-label="Formula for {field.label}"
              spellcheck="false"
              autocomplete="off"
              oninput={(event) => set(field.key, event.currentTarget.value)}
            />
          {/if}
          <select
            class="in-line"
            aria-label="Source of {field.label}"
            value={byFormula ? '=' : formula}
            onchange={(event) => {
              const chosen = event.currentTarget.value;
              if (chosen === '=') written = [...written, field.key];
              else {
                written = written.filter((key) => key !== field.key);
                set(field.key, chosen);
              }
            }}
          >
            <option value="">leave blank</option>
            {#each sources as { key, label } (key)}<option value={key}>{label}</option>{/each}
            <option value="=">by a formula</option>
          </select>
        </td>
      </tr>
    {/each}
  </tbody>
</table>

<style>
  .lines {
    width: 100%;
    margin-bottom: 12px;
    font-size: 13px;
  }
  th {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
    text-align: left;
  }
  td {
    padding: 3px 10px 3px 0;
    border-top: 1px solid var(--line);
  }
  .blank td:first-child {
    color: var(--ink-faint);
  }
  input {
    width: 100%;
    margin-bottom: 3px;
    font: 12px/1.8 var(--mono);
  }
  .must {
    color: var(--madder);
  }
</style>
