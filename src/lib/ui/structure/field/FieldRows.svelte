<script lang="ts">
  import { draggable, dropTargetForElements } from '@atlaskit/pragmatic-drag-and-drop/element/adapter';
  import { dependentsOf } from '$core/parts/dependents';
  import { printFormula } from '$core/formula/printer';
  import { fieldOf, isSystem, linkedTable } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { isCalculated, typeWords } from '../../values/show';
  import { factWords, type FieldFacts } from '../facts.svelte';

  /** The fields of a table as rows, with what is in them; dragged by their handle into another order. */
  const {
    model,
    table,
    facts,
    chosen,
    mayDesign,
    showSystem,
    onchoose,
    onmove,
  }: {
    model: Model;
    table: Table;
    facts: Readonly<Record<string, FieldFacts>>;
    chosen: string | null;
    mayDesign: boolean;
    showSystem: boolean;
    onchoose: (field: Field) => void;
    onmove: (field: Field, to: number) => void;
  } = $props();
  const rows = $derived(
    table.fields.map((field, index) => ({ field, index })).filter(({ field }) => showSystem || !isSystem(field)),
  );
  let over = $state<string | null>(null);

  const nameOf = (id: string) => {
    const { field, table: owner } = fieldOf(model, id);
    return owner.id === table.id ? field.label : `${owner.label}.${field.label}`;
  };
  const usedBy = (field: Field) => [
    ...new Set(
      dependentsOf(model, field.id)
        .filter((user) => !('field' in user) || user.field.id !== field.id)
        .map((user) => (user.kind === 'formula' ? nameOf(user.field.id) : user.words)),
    ),
  ];
  const percent = ({ filled, records }: FieldFacts) => (records === 0 ? 0 : Math.round((filled / records) * 100));
  const dyeOf = (field: Field) => linkedTable(model, field)?.table.dye;

  function dragged(field: Field) {
    return (node: HTMLElement) => {
      const handle = node.querySelector('.handle');
      const ends = [
        ...(mayDesign && handle
          ? [draggable({ element: node, dragHandle: handle, getInitialData: () => ({ field: field.id }) })]
          : []),
        dropTargetForElements({
          element: node,
          getData: () => ({ field: field.id }),
          onDragEnter: () => (over = field.id),
          onDragLeave: () => (over = null),
          onDrop: ({ source }) => {
            over = null;
            const moved = table.fields.find(({ id }) => id === source.data.field);
            if (moved && moved.id !== field.id) onmove(moved, table.fields.indexOf(field));
          },
        }),
      ];
      return () => ends.forEach((end) => end());
    };
  }
</script>

<table>
  <thead
    ><tr
      ><th><span class="sr-only">order</span></th><th class="number">#</th><th>label</th><th>key</th><th>type</th><th
        >filled</th
      ><th>what is in it</th><th>rules</th><th>used by</th></tr
    ></thead
  >
  <tbody>
    {#each rows as { field, index } (field.id)}
      {@const fact = facts[field.id]}
      {@const users = usedBy(field)}
      <tr
        {@attach dragged(field)}
        class:chosen={chosen === field.id}
        class:woven={isCalculated(field)}
        class:off={field.off}
        class:over={over === field.id}
      >
        <td class="grip"
          >{#if mayDesign}<span class="handle" title="Drag to another place" aria-hidden="true">⋮⋮</span>{/if}</td
        >
        <td class="number soft">{index + 1}</td>
        <td>
          <button onclick={() => onchoose(field)}>{field.label}</button>{#if field.off}<small>switched off</small
            >{/if}{#if field.internal}<small>internal</small>{/if}
          {#if field.type.kind === 'formula'}<code class="formula">= {printFormula(model, field.type.formula)}</code
            >{/if}
        </td>
        <td><code>{field.key}</code></td>
        <td style:--dye={dyeOf(field) ? `var(--dye-${dyeOf(field)})` : undefined} class:link={dyeOf(field)}
          >{typeWords(model, field)}</td
        >
        <td class="fill">
          {#if fact}<span title="{fact.filled.toLocaleString()} of {fact.records.toLocaleString()} records"
              ><i style:--share="{percent(fact)}%" aria-hidden="true"></i>{percent(fact)} %</span
            >{:else}<span class="soft">…</span>{/if}
        </td>
        <td class="facts"
          >{#if fact}{factWords(fact, field.type.kind === 'counterpart')}{#if fact.setAside > 0}<b class="aside"
                >{fact.setAside.toLocaleString()} set aside</b
              >{/if}{/if}</td
        >
        <td class="soft"
          >{[
            field.required ? (field.required === 'fromNow' ? 'required from now on' : 'required') : '',
            field.unique ? 'unique' : '',
          ]
            .filter(Boolean)
            .join(', ')}</td
        >
        <td class="soft number" title={users.join('\n')}>{users.length || ''}</td>
      </tr>
    {/each}
  </tbody>
</table>

<style>
  table {
    width: 100%;
    font-size: 13px;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 6px 8px;
    text-align: left;
    vertical-align: baseline;
    border-bottom: 1px solid var(--line);
  }
  thead th {
    position: sticky;
    top: 0;
    z-index: 1;
    color: var(--ink-faint);
    font-weight: 500;
    white-space: nowrap;
    background: var(--ground);
  }
  .grip {
    width: 18px;
    padding: 6px 0 6px 8px;
  }
  .handle {
    color: var(--ink-faint);
    letter-spacing: -2px;
    cursor: grab;
  }
  .number {
    width: 34px;
    text-align: right;
  }
  td:nth-child(4),
  td:nth-child(5),
  td:nth-child(6),
  td:nth-child(8) {
    white-space: nowrap;
  }
  td button {
    font-weight: 600;
    text-align: left;
  }
  td button:hover {
    text-decoration: underline;
  }
  small {
    margin-left: 8px;
    color: var(--weld);
    font-size: 12px;
  }
  .formula {
    display: block;
    max-width: 230px;
    overflow: hidden;
    color: var(--ink-soft);
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .soft {
    color: var(--ink-soft);
  }
  .link {
    box-shadow: inset 4px 0 0 -1px var(--dye);
  }
  .fill span {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    font-variant-numeric: tabular-nums;
  }
  .fill i {
    width: 30px;
    height: 6px;
    background: linear-gradient(90deg, var(--lichen) var(--share), var(--line) var(--share));
  }
  .facts {
    max-width: 210px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .aside {
    margin-left: 10px;
    color: var(--weld);
  }
  .off td {
    color: var(--ink-faint);
  }
  .chosen {
    background: var(--woad-tint);
  }
  .over td {
    box-shadow: inset 0 2px 0 var(--woad);
  }
</style>
