<script lang="ts">
  import { untrack } from 'svelte';
  import type { ReachJson, RoleJson, TableRightsJson } from '$core/access/roleJson';
  import { rightWords } from '$core/access/roleJson';
  import { isShown, ownTables } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import { recordRights, workspaceRights, type FieldLimit, type RecordRight } from '$core/types/role';
  import type { TableEffect } from '$server/query/roleEffect';
  import { call, workspacePath } from '../api';
  import { counted } from '../values/words';
  import ReachCondition from './ReachCondition.svelte';

  /** What a role may see and do, table by table, with what that comes to for somebody as it is written. */
  const {
    workspace,
    model,
    role,
    viewer,
    still = false,
    onchange,
  }: {
    workspace: string;
    model: Model;
    role: RoleJson;
    /** For whom it is counted, by their number; null for oneself. */
    viewer: number | null;
    /** It is one that every workspace has: looked at, and not changed. */
    still?: boolean;
    onchange: (role: RoleJson) => void;
  } = $props();

  const tables = $derived(ownTables(model).filter(({ pairs }) => !pairs));
  const rightNames: Readonly<Record<RecordRight, string>> = {
    see: 'See',
    enter: 'Enter',
    change: 'Change',
    delete: 'Delete',
  };
  let opened = $state<string | null>(null);
  let effects = $state.raw<readonly TableEffect[]>([]);
  let problem = $state('');

  $effect(() => {
    const body = { role, ...(viewer === null ? {} : { person: viewer }) };
    const soon = setTimeout(() => untrack(() => void read(body)), 300);
    return () => clearTimeout(soon);
  });
  async function read(body: object) {
    const answer = await call<{ items: TableEffect[] }>('POST', workspacePath(workspace, '/roles/try'), body);
    problem = answer.ok ? '' : [answer.problem.message, answer.problem.fix].filter(Boolean).join(' ');
    if (answer.ok) effects = answer.value.items;
  }

  const rightsOf = ({ key }: Table): TableRightsJson => role.tables[key] ?? { ...role.others, fields: {} };
  const put = (table: Table, rights: Partial<TableRightsJson>) => {
    const now = { ...rightsOf(table), ...rights } as TableRightsJson;
    // What is not seen is not written either.
    const fitting = now.see === false ? { ...now, enter: false, change: false, delete: false, design: false } : now;
    onchange({ ...role, tables: { ...role.tables, [table.key]: fitting } });
  };
  const asOthers = ({ key }: Table) => {
    const { [key]: _, ...tablesLeft } = role.tables;
    onchange({ ...role, tables: tablesLeft });
  };
  const wordOf = (reach: ReachJson): 'all' | 'none' | 'some' =>
    typeof reach === 'string' ? 'some' : reach ? 'all' : 'none';
  function choose(table: Table, right: RecordRight, word: string) {
    put(table, { [right]: word === 'some' ? '' : word === 'all' });
    if (word === 'some') opened = table.key;
  }
  const limit = (table: Table, key: string, to: string) => {
    const { [key]: _, ...others } = rightsOf(table).fields;
    put(table, { fields: to === 'entered' ? others : { ...others, [key]: to as FieldLimit } });
  };
  const toggle = (right: (typeof workspaceRights)[number]) =>
    onchange({
      ...role,
      workspace: role.workspace.includes(right)
        ? role.workspace.filter((one) => one !== right)
        : [...role.workspace, right],
    });
  const effectOf = ({ key }: Table) => effects.find((one) => one.table === key);
  const carries = $derived(effects.flatMap(({ label, carries }) => carries.map((one) => ({ label, ...one }))));
  const limits = (table: Table): number => Object.keys(rightsOf(table).fields).length;
</script>

<fieldset disabled={still}>
  <legend>In the workspace</legend>
  <div class="rights">
    {#each workspaceRights as right (right)}<label
        ><input type="checkbox" checked={role.workspace.includes(right)} onchange={() => toggle(right)} />
        {rightWords[right]}</label
      >{/each}
  </div>
</fieldset>

<table class="listing">
  <thead
    ><tr
      ><th>table</th>{#each recordRights as right (right)}<th>{rightNames[right].toLowerCase()}</th>{/each}<th
        >structure</th
      ><th>fields</th><th class="number">records seen</th></tr
    ></thead
  >
  <tbody>
    <tr>
      <th scope="row"
        >All other tables
        <div class="aside">those made later, too</div></th
      >
      {#each recordRights as right (right)}<td
          ><select
            class="in-line"
            disabled={still}
            aria-label="{rightNames[right]} records of other tables"
            value={wordOf(role.others[right])}
            onchange={(event) => {
              const to = event.currentTarget.value === 'all';
              const others = { ...role.others, [right]: to };
              onchange({
                ...role,
                others: others.see ? others : { see: false, enter: false, change: false, delete: false, design: false },
              });
            }}><option value="none">none</option><option value="all">all</option></select
          ></td
        >{/each}
      <td
        ><input
          type="checkbox"
          disabled={still}
          aria-label="Change the structure of other tables"
          checked={role.others.design}
          onchange={(event) => onchange({ ...role, others: { ...role.others, design: event.currentTarget.checked } })}
        /></td
      ><td></td><td></td>
    </tr>
    {#each tables as table (table.id)}
      {@const rights = rightsOf(table)}
      {@const isOwn = table.key in role.tables}
      {@const effect = effectOf(table)}
      <tr class:own={isOwn}>
        <th scope="row"
          ><button
            type="button"
            class="open"
            aria-expanded={opened === table.key}
            onclick={() => (opened = opened === table.key ? null : table.key)}
            ><span aria-hidden="true">{opened === table.key ? '▾' : '▸'}</span> {table.label}</button
          >
          <div class="aside">
            {#if !isOwn}as other tables{:else if !still}its own; <button
                type="button"
                class="link"
                onclick={() => asOthers(table)}>reset</button
              >{/if}
          </div></th
        >
        {#each recordRights as right (right)}<td
            ><select
              class="in-line"
              disabled={still || (right !== 'see' && rights.see === false)}
              aria-label="{rightNames[right]} records of {table.label}"
              value={wordOf(rights[right])}
              onchange={(event) => choose(table, right, event.currentTarget.value)}
              ><option value="none">none</option><option value="some">some …</option><option value="all">all</option
              ></select
            ></td
          >{/each}
        <td
          ><input
            type="checkbox"
            disabled={still || rights.see === false}
            aria-label="Change the structure of {table.label}"
            checked={rights.design}
            onchange={(event) => put(table, { design: event.currentTarget.checked })}
          /></td
        >
        <td
          ><button type="button" class="link" onclick={() => (opened = opened === table.key ? null : table.key)}
            >{limits(table) === 0 ? 'all' : `${counted(limits(table), 'limit')}`}</button
          ></td
        >
        <td class="number"
          >{#if effect}{effect.seen.toLocaleString()} of {effect.records.toLocaleString()}{/if}</td
        >
      </tr>
      {#if opened === table.key}
        <tr class="inside"
          ><td colspan="8">
            {#each recordRights as right (right)}{#if typeof rights[right] === 'string'}
                <ReachCondition
                  {model}
                  {table}
                  called="{rightNames[right]} the records for which"
                  formula={rights[right]}
                  {still}
                  onchange={(formula) => put(table, { [right]: formula })}
                />
              {/if}{/each}
            <div class="fields">
              {#each table.fields.filter(isShown) as field (field.id)}<label
                  >{field.label}
                  <select
                    class="in-line"
                    aria-label="{field.label} of {table.label}"
                    disabled={still || rights.see === false}
                    value={rights.fields[field.key] ?? 'entered'}
                    onchange={(event) => limit(table, field.key, event.currentTarget.value)}
                    ><option value="entered">seen and entered</option><option value="seen">seen</option><option
                      value="hidden"
                      disabled={table.title === field.id}>hidden</option
                    ></select
                  ></label
                >{/each}
            </div>
          </td></tr
        >
      {/if}
    {/each}
  </tbody>
</table>
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#if carries.length > 0}
  <ul class="carries" aria-label="What calculated fields tell">
    {#each carries as { label, field, from } (`${label} ${field}`)}<li>
        <b>{label}.{field}</b> is calculated from {from.join(', ')}, which this role does not see: its value tells
        something of it.
      </li>{/each}
  </ul>
{/if}

<style>
  fieldset {
    margin-bottom: 14px;
  }
  legend {
    margin-bottom: 4px;
    color: var(--ink-faint);
    font-size: 12px;
  }
  .rights {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 18px;
  }
  .rights input {
    margin-right: 4px;
  }
  th[scope='row'] {
    font-weight: 600;
  }
  tr:not(.own, .inside) select {
    color: var(--ink-faint);
  }
  .open {
    font-weight: 600;
    white-space: nowrap;
  }
  .link {
    color: var(--woad);
    text-decoration: underline;
  }
  .number {
    text-align: right;
    white-space: nowrap;
  }
  .inside td {
    padding: 10px 14px 14px 32px;
    background: var(--sunken);
  }
  .fields {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(240px, 1fr));
    gap: 6px 22px;
  }
  .fields label {
    display: flex;
    gap: 8px;
    justify-content: space-between;
    align-items: center;
  }
  .problem {
    margin-top: 8px;
    color: var(--madder);
  }
  .carries {
    max-width: 1100px;
    margin-top: 10px;
    padding-left: 18px;
    color: var(--ink-soft);
    list-style: disc;
  }
</style>
