<script lang="ts">
  import { goneTo, type IntakeSheet, type Proposal } from '$core/intake/intake';
  import { findField, linkedTable, ownTables } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { kindAndSettings } from '../values/show';

  /** The columns of a sheet, each with what it was found to be and where it goes. */
  const {
    sheet,
    index,
    proposal,
    tables,
    chosen,
    onchoose,
    sheets,
    model,
    after,
  }: {
    sheet: IntakeSheet;
    index: number;
    proposal: Proposal;
    tables: readonly Table[];
    chosen: { sheet: number; column: number } | null;
    onchoose: (column: number) => void;
    sheets: readonly IntakeSheet[];
    model: Model;
    /** The model with what would be made. */
    after: Model;
  } = $props();

  /** Of a wider sheet the first ones are shown, until one asks for more. */
  const mostShown = 40;

  const mapping = $derived(proposal.mappings.find(({ sheet: one }) => one === index));
  const into = $derived(mapping?.into);
  const standing = $derived(ownTables(model));
  const decided = $derived(proposal.decisions.tables[String(index)] ?? {});
  /** The table a column has gone to, where one was split off. */
  const nowIn = (column: number) => {
    const at = sheets.findIndex(({ derived }) => goneTo(derived, index, column) !== undefined);
    return at < 0
      ? undefined
      : tables.find(({ id }) => id === proposal.mappings.find(({ sheet: one }) => one === at)?.table);
  };
  /** The field a column goes to, as it will stand. */
  const fieldOf = (column: number): Field | undefined => {
    const id = mapping?.columns.find((one) => one.column === column)?.field;
    return id === undefined ? undefined : findField(after, id)?.field;
  };
  const targetLabel = (field: Field) => linkedTable(after, field)?.table.label ?? '';
  function words(field: Field): string {
    const { type } = field;
    const linked = linkedTable(after, field);
    if (linked) return `→ ${linked.many ? 'several of ' : ''}${linked.table.label}`;
    return kindAndSettings(type);
  }
  /** Found in a table that stands. */
  const stands = (column: number) => sheet.standing?.find((one) => one.column === column && one.matching > 0);
  const link = (column: number) => proposal.links.find(({ from }) => from.sheet === index && from.column === column);

  let wanted = $state('');
  let all = $state(false);
  const found = $derived(
    sheet.columns.flatMap(({ name }, at) => (name.toLowerCase().includes(wanted.trim().toLowerCase()) ? [at] : [])),
  );
  const shown = $derived(all ? found : found.slice(0, mostShown));
</script>

{#if sheet.columns.length > mostShown}
  <div class="find">
    <label
      >Find a column <input
        class="in-line"
        type="search"
        bind:value={wanted}
        aria-label="Find a column of {sheet.name}"
      /></label
    >
    <span role="status"
      >{shown.length.toLocaleString()} of {sheet.columns.length.toLocaleString()} columns are shown.</span
    >
    {#if shown.length < found.length}<button onclick={() => (all = true)}
        >Show all {found.length.toLocaleString()}</button
      >{/if}
  </div>
{/if}
<table>
  <thead
    ><tr><th>source column</th><th>detected as</th><th>samples</th><th aria-hidden="true"></th><th>becomes</th></tr
    ></thead
  >
  <tbody>
    {#each shown as at (at)}
      {@const column = sheet.columns[at]}
      {#if column}
        {@const field = fieldOf(at)}
        {@const found = link(at)}
        <tr class:chosen={chosen?.sheet === index && chosen.column === at}>
          <td class="name"
            ><button onclick={() => onchoose(at)}>{column.name}</button
            >{#if (decided.key ?? sheet.keys.slice(0, 1)).includes(at)}<span class="keymark">key</span>{/if}</td
          >
          <td class="evidence" class:warn={column.misfits > 0 || (found && found.missing > 0)}>
            {#if found && field && linkedTable(after, field)}{sheets[found.to.sheet]?.derived?.sheet === index
                ? 'repeated on many rows'
                : `${((found.matching * 100) / Math.max(1, found.matching + found.missing)).toFixed(1)} % found in ${found.to.sheet === index ? 'this sheet' : targetLabel(field)}${found.missing > 0 ? `, ${found.missing} not` : ''}`}
            {:else if stands(at) && ((field && linkedTable(after, field)) || sheet.keys[0] === at)}
              {@const found = stands(at)}{(
                ((found?.matching ?? 0) * 100) /
                Math.max(1, (found?.matching ?? 0) + (found?.missing ?? 0))
              ).toFixed(1)} % stand in
              {standing.find(({ id }) => id === found?.table)?.label} already{found && found.missing > 0
                ? `, ${found.missing.toLocaleString()} not`
                : ''}
            {:else}{column.evidence}{/if}{column.blanks > 0 ? `, ${column.blanks.toLocaleString()} blank` : ''}
          </td>
          <td class="samples">{column.samples.slice(0, 3).join(' · ')}</td>
          <td class="thread" aria-hidden="true"><i class:off={!field}></i></td>
          <td class="stands">
            {#if field}<b>{field.label}</b>
              <span class:linked={linkedTable(after, field) !== null}>{words(field)}</span>{field.unique
                ? ', unique'
                : ''}{into && proposal.decisions.columns[`${index}.${at}`]?.field === 'new'
                ? ', new'
                : ''}{:else if nowIn(at)}<span class="soft">in {nowIn(at)?.label}</span>{:else}<span class="soft"
                >skipped</span
              >{/if}
          </td>
        </tr>
      {/if}{/each}
  </tbody>
</table>

<style>
  table {
    width: 100%;
    font-size: 13px;
  }
  th,
  td {
    padding: 5px 14px;
    text-align: left;
    border-top: 1px solid var(--line);
  }
  thead th {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
  }
  .name {
    width: 170px;
  }
  .name button {
    font: 12px var(--mono);
    text-decoration: underline;
    text-decoration-color: var(--line-strong);
  }
  .keymark {
    padding: 0 5px;
    margin-left: 8px;
    color: var(--lichen);
    font-size: 11px;
    border: 1px solid var(--lichen);
    border-radius: 3px;
  }
  .samples {
    max-width: 240px;
    overflow: hidden;
    color: var(--ink-soft);
    font-size: 12px;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .thread {
    width: 60px;
    padding: 0;
  }
  .thread i {
    display: block;
    height: 3px;
    background: linear-gradient(90deg, var(--line-strong) 0 40%, var(--selvedge) 40%);
  }
  .thread .off {
    background: repeating-linear-gradient(90deg, var(--line) 0 4px, transparent 4px 8px);
  }
  .stands {
    width: 300px;
  }
  .linked {
    color: var(--woad);
    font-weight: 600;
  }
  .evidence {
    min-width: 200px;
  }
  .chosen td {
    background: var(--woad-tint);
  }
  @container (max-width: 820px) {
    .samples,
    .thread,
    th:nth-child(3),
    th:nth-child(4) {
      display: none;
    }
    .stands {
      width: 220px;
    }
  }
  .warn {
    color: var(--weld);
  }
  .soft {
    color: var(--ink-faint);
  }
  .find {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    align-items: baseline;
    padding: 6px 14px;
    color: var(--ink-soft);
    font-size: 13px;
    border-top: 1px solid var(--line);
  }
  .find input {
    width: 220px;
  }
  .find button {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
