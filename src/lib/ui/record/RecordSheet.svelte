<script lang="ts">
  import { say } from '$core/base/say';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { fieldOf, isEntered, isShown, isSystem, isToMany } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { isCalculated } from '../values/show';
  import RecordField from './RecordField.svelte';
  import RecordSteps from './RecordSteps.svelte';
  import type { ShownRecord } from '../records/recordSet.svelte';
  import RelatedList from './RelatedList.svelte';

  /**
   * One record whole: what is entered, what it is linked with, what is calculated, the records that point at it, and
   * its history.
   */
  const {
    workspace,
    model,
    table,
    record,
    mayEdit,
    onedit,
    ontrace,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    record: ShownRecord;
    mayEdit: boolean;
    onedit: (field: Field, value: unknown) => void;
    ontrace: (field: Field) => void;
  } = $props();
  const shown = $derived(table.fields.filter(isShown));
  const isLink = (field: Field) => field.type.kind === 'link' || isToMany(field);
  const isLists = (field: Field) => field.type.kind === 'counterpart' && !isToMany(field);
  const sections = $derived(
    [
      {
        name: 'Fields',
        fields: shown.filter((field) => (isEntered(field) || field.type.kind === 'runningNumber') && !isLink(field)),
      },
      { name: 'Links', fields: shown.filter(isLink) },
      { name: 'Calculated', fields: shown.filter((field) => field.type.kind === 'formula') },
      { name: 'Created and changed', fields: shown.filter(isSystem) },
    ].filter(({ fields }) => fields.length > 0),
  );
  // Records of other workspaces are listed there.
  const lists = $derived(
    shown
      .filter(isLists)
      .flatMap((other) =>
        other.type.kind === 'counterpart' ? [{ label: other.label, ...fieldOf(model, other.type.link) }] : [],
      ),
  );

  /**
   * The filters of the lists are part of the address: they are there after a reload, on the next record, and where it
   * is sent.
   */
  function keepFilter(name: string, filter: string) {
    const query = new URLSearchParams(page.url.searchParams);
    if (filter) query.set(name, filter);
    else query.delete(name);
    void goto(`?${query}`, { replaceState: true, keepFocus: true, noScroll: true });
  }
</script>

<div class="sheet">
  <div class="sections">
    {#each sections as { name, fields } (name)}
      <section aria-label={name}>
        <h2>{say(name)}</h2>
        <dl>
          {#each fields as field (field.id)}
            <div
              class="field"
              class:woven={isCalculated(field)}
              class:wide={field.type.kind === 'longText' || field.type.kind === 'pictures'}
            >
              <dt title={field.help}>
                {field.label}{#if field.required}<span class="must" title="required">*</span>{/if}
              </dt>
              <dd>
                <RecordField
                  {workspace}
                  {model}
                  {table}
                  {record}
                  {field}
                  {mayEdit}
                  onedit={(value) => onedit(field, value)}
                  ontrace={() => ontrace(field)}
                />
              </dd>
            </div>
          {/each}
        </dl>
      </section>
    {/each}
  </div>
  {#each lists as { field, label, table: from } (field.id)}
    {@const name = `list.${from.key}.${field.key}`}
    <RelatedList
      {workspace}
      {model}
      {label}
      link={field}
      {from}
      {record}
      {mayEdit}
      begin={page.url.searchParams.get(name) ?? ''}
      onfilter={(filter) => keepFilter(name, filter)}
    />
  {/each}
  <RecordSteps {workspace} {model} {table} {record} {mayEdit} {onedit} />
</div>

<style>
  .sheet {
    flex: 1;
    min-width: 0;
    padding: 14px 20px 40px;
    overflow: auto;
    background: var(--raised);
  }
  .sections {
    columns: 2 340px;
    column-gap: 36px;
  }
  section {
    break-inside: avoid;
    margin-bottom: 18px;
  }
  h2 {
    padding-bottom: 3px;
    color: var(--ink-soft);
    font-size: 13px;
    font-weight: 600;
    border-bottom: 1px solid var(--line-strong);
  }
  .field {
    display: grid;
    grid-template-columns: 132px minmax(0, 1fr);
    gap: 8px;
    align-items: start;
    padding: 3px 8px;
    margin: 0 -8px;
    border-bottom: 1px solid var(--line);
  }
  dt {
    padding-top: 2px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .must {
    color: var(--madder);
  }
  dd {
    position: relative;
    min-height: 24px;
    overflow-wrap: anywhere;
  }
  .woven {
    background: var(--woven);
  }
  @media print {
    .sheet {
      overflow: visible;
    }
  }
</style>
