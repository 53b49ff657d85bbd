<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import type { Written } from '$core/filled/written';
  import { choiceKind } from '$core/summaries/narrowing';
  import { orderPath, orderPaths, pathKey, pathLabel } from '$core/query/query';
  import { tableNamed } from '$core/model/model';
  import type { Model } from '$core/types/model';
  /** A group that the workspace is given to. */
  interface GroupOut {
    readonly id: number;
    readonly label: string;
  }

  /** What a summary is about, whom it is for, and the filters of its page. */
  const {
    json,
    model,
    tables,
    personal,
    mayShare,
    groups,
    onchange,
    onpersonal,
  }: {
    json: Written;
    model: Model;
    /** The tables that its blocks ask, by key. */
    tables: readonly string[];
    personal: boolean;
    mayShare: boolean;
    groups: readonly GroupOut[];
    onchange: (more: Written) => void;
    onpersonal: (personal: boolean) => void;
  } = $props();
  type Field = { readonly table: string; readonly field: string };
  const filters = $derived(
    (json.filters ?? []) as readonly (Written & { id?: string; label: string; fields: readonly Field[] })[],
  );
  const chosenGroups = $derived((json.groups ?? []) as readonly number[]);
  const choices = $derived(
    tables.flatMap((key) => {
      const table = tableNamed(model, key);
      return table
        ? [
            {
              key,
              label: table.label,
              paths: orderPaths(model, table)
                .flatMap(({ paths }) => paths)
                .filter(({ field }) => field.type.kind !== 'counterpart' && !field.unlisted),
            },
          ]
        : [];
    }),
  );
  const kindOf = ({ table, field }: Field) => {
    const owner = tableNamed(model, table);
    const path = owner && orderPath(model, owner, field);
    return path ? choiceKind(path.field) : 'values';
  };
  /** A new filter goes for every table that has a field of its name. */
  function add(table: string, field: string) {
    const owner = tableNamed(model, table);
    const path = owner && orderPath(model, owner, field);
    if (!path) return;
    const label = path.field.label;
    const same = choices.flatMap(({ key, paths }): Field[] => {
      if (key === table) return [{ table, field }];
      const found =
        paths.find((one) => one.field.id === path.field.id) ??
        paths.find((one) => one.field.label === label && choiceKind(one.field) === choiceKind(path.field));
      return found ? [{ table: key, field: pathKey(found) }] : [];
    });
    onchange({ filters: [...filters, { label, fields: same }] });
  }
  const changeFilter = (at: number, more: Written) =>
    onchange({ filters: filters.map((one, index) => (index === at ? { ...one, ...more } : one)) });
  function fieldChosen(at: number, table: string, field: string) {
    const others = (filters[at]?.fields ?? []).filter((one) => one.table !== table);
    changeFilter(at, { fields: field === '' ? others : [...others, { table, field }] });
  }
</script>

<label class="row"
  >Description
  <textarea
    rows="2"
    maxlength="2000"
    value={String(json.description ?? '')}
    oninput={(event) => onchange({ description: event.currentTarget.value })}
  ></textarea></label
>
<section aria-label="Who has it">
  <h3>Who has it</h3>
  <label><input type="radio" name="whose" checked={personal} onchange={() => onpersonal(true)} /> you alone</label>
  <label class:off={!mayShare}
    ><input type="radio" name="whose" checked={!personal} disabled={!mayShare} onchange={() => onpersonal(false)} />
    {chosenGroups.length === 0 ? 'everybody in the workspace' : 'the groups chosen here'}</label
  >
  {#if !personal && groups.length > 0}
    <div class="groups">
      {#each groups as { id, label } (id)}
        <label
          ><input
            type="checkbox"
            checked={chosenGroups.includes(id)}
            onchange={(event) =>
              onchange({
                groups: event.currentTarget.checked ? [...chosenGroups, id] : chosenGroups.filter((one) => one !== id),
              })}
          />
          only for {label}</label
        >
      {/each}
    </div>
  {/if}
</section>
<section aria-label="Filters of the page">
  <h3>Filters of the page</h3>
  <ul>
    {#each filters as filter, at (at)}
      <li>
        <div class="line">
          <input
            class="in-line"
            aria-label="Filter {at + 1}: called"
            value={filter.label}
            maxlength="120"
            onchange={(event) => changeFilter(at, { label: event.currentTarget.value })}
          />
          <button
            aria-label="Remove the filter {filter.label}"
            onclick={() => onchange({ filters: filters.toSpliced(at, 1) })}><X size={14} /></button
          >
        </div>
        {#each choices as { key, label, paths } (key)}
          {@const now = filter.fields.find(({ table }) => table === key)?.field ?? ''}
          {@const kind = filter.fields[0] ? kindOf(filter.fields[0]) : 'values'}
          <label class="line soft"
            >{label}
            <select
              class="in-line"
              aria-label="{filter.label}: field of {label}"
              value={now}
              onchange={(event) => fieldChosen(at, key, event.currentTarget.value)}
            >
              <option value="">does not follow it</option>
              {#each paths.filter(({ field }) => choiceKind(field) === kind) as path (pathKey(path))}<option
                  value={pathKey(path)}>by {pathLabel(path)}</option
                >{/each}
            </select></label
          >
        {/each}
      </li>
    {/each}
  </ul>
  {#if choices.length > 0}
    <select
      class="in-line"
      aria-label="Add a filter"
      value=""
      onchange={(event) => {
        const [table = '', field = ''] = event.currentTarget.value.split(' ');
        add(table, field);
        event.currentTarget.value = '';
      }}
    >
      <option value="">+ a filter by …</option>
      {#each choices as { key, label, paths } (key)}
        <optgroup {label}>
          {#each paths as path (pathKey(path))}<option value="{key} {pathKey(path)}">{pathLabel(path)}</option>{/each}
        </optgroup>
      {/each}
    </select>
  {:else}<p class="soft">Add a block first: a filter goes over what blocks show.</p>{/if}
</section>

<style>
  section {
    padding-top: 10px;
    margin-top: 10px;
    border-top: 1px solid var(--line);
  }
  h3 {
    margin-bottom: 4px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .row {
    display: block;
  }
  section > label,
  .groups label {
    display: block;
  }
  .groups {
    padding-left: 18px;
  }
  textarea {
    width: 100%;
    padding: 6px 8px;
    color: var(--ink);
    font-size: 13px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  li {
    padding: 6px 0;
    border-bottom: 1px solid var(--line);
  }
  .line {
    display: flex;
    gap: 6px;
    align-items: center;
    justify-content: space-between;
  }
  .line select {
    max-width: 62%;
  }
  .soft {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .off {
    color: var(--ink-faint);
  }
  button {
    min-width: 24px;
    min-height: 24px;
    color: var(--ink-soft);
  }
</style>
