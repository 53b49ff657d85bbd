<script lang="ts">
  import { say } from '$core/base/say';
  import { untrack } from 'svelte';
  import { fieldNamed, ownTables, tableNamed } from '$core/model/model';
  import type { Written } from '$core/filled/written';
  import FieldsLinedUp from '../FieldsLinedUp.svelte';
  import type { FormProps } from '../form';
  import RecordsChoice from '../RecordsChoice.svelte';
  import { targetsElsewhere, targetsOf, type Target } from '../targets';

  /** Records to another table: which, where to, how their fields line up, what becomes of the links around them. */
  const { model, others, workspaces, begun, shown, onwant }: FormProps = $props();
  const start = untrack(() => begun);
  let of = $state.raw({
    table: String(start.table ?? ''),
    where: String(start.where ?? ''),
    records: (start.records as readonly number[] | undefined) ?? null,
  });
  let to = $state(typeof start.to === 'string' ? start.to : '');
  let label = $state('');
  let elsewhere = $state('');
  let copy = $state(start.copy === true);
  let fields = $state.raw<readonly Written[] | null>((start.fields as readonly Written[] | undefined) ?? null);
  let fates = $state.raw<Readonly<Record<string, Written>>>({});
  let target = $state.raw<{ label: string; targets: readonly Target[] } | null>(null);

  const isNew = $derived(to === 'new');
  const source = $derived(tableNamed(model, of.table));
  const proposed = $derived(
    shown?.transfer.work === 'move' && shown.transfer.table === of.table ? shown.transfer : null,
  );
  const lines = $derived(fields ?? (proposed?.fields as readonly Written[] | undefined) ?? []);
  const links = $derived((proposed?.links as readonly Written[] | undefined) ?? []);
  const nameOf = (link: Written) => `${String(link.table)}.${String(link.link)}`;
  const words: Record<string, string> = {
    follow: 'its records come along',
    point: 'goes over to another link of its table',
    clear: 'becomes blank',
    keep: 'keeps what it points at; a copy stays behind',
    delete: 'its records are deleted',
  };
  const labelOf = (link: Written): string => {
    const table = tableNamed(model, String(link.table));
    const field = table && fieldNamed(table, String(link.link));
    return table?.pairs ? `Links of ${table.label}` : `${table?.label ?? link.table}.${field?.label ?? link.link}`;
  };
  const ways = (link: Written) => [...new Set([String(link.do), 'clear', 'keep', 'delete'])];

  $effect(() => {
    const own = isNew ? source : tableNamed(model, to);
    if (own) target = { label: isNew ? label || own.label : own.label, targets: targetsOf(own) };
    else if (to.includes('.')) void targetsElsewhere(to).then((found) => (target = found));
    else target = null;
  });

  $effect(() => {
    const ready = of.table !== '' && (isNew ? label.trim() !== '' : to !== '');
    const json: Written | null = ready
      ? {
          work: 'move',
          ...of,
          copy,
          to: isNew ? { label: label.trim(), ...(elsewhere ? { workspace: elsewhere } : {}) } : to,
          ...(fields ? { fields } : {}),
          ...(Object.keys(fates).length > 0 ? { links: Object.values(fates) } : {}),
        }
      : null;
    untrack(() => onwant(json));
  });
  const homes = $derived(workspaces.filter(({ key }) => others.some(({ path }) => path.split('.')[0] === key)));
</script>

<RecordsChoice
  {model}
  {...of}
  onchange={(now) => {
    if (now.table !== of.table) [fields, fates] = [null, {}];
    of = now;
  }}
/>
<div class="asking">
  <label
    >To
    <select class="in-line" bind:value={to} onchange={() => ([fields, fates] = [null, {}])}>
      <option value="" disabled>choose a table</option>
      <option value="new">a new table of the same structure</option>
      {#each ownTables(model).filter(({ key }) => key !== of.table || copy) as { key, label } (key)}<option value={key}
          >{label}</option
        >{/each}
      {#each others as { path, label } (path)}<option value={path}>{label}</option>{/each}
    </select></label
  >
  {#if isNew}
    <label>Its name <input class="in-line" bind:value={label} /></label>
    <label
      >In
      <select class="in-line" bind:value={elsewhere}>
        <option value="">this workspace</option>
        {#each homes as { key, label: name } (key)}<option value={key}>{name}</option>{/each}
      </select></label
    >
  {/if}
  <label class="tick"><input type="checkbox" bind:checked={copy} /> copy them; the originals stay</label>
</div>
{#if source && target && !isNew && proposed}
  <h3>Fields</h3>
  <FieldsLinedUp
    label={target.label}
    targets={target.targets}
    from={source}
    fields={lines}
    onchange={(now) => (fields = now)}
  />
{/if}
{#if links.length > 0 && !copy}
  <h3>Links to these records</h3>
  <ul class="links">
    {#each links as link (nameOf(link))}
      <li>
        <label
          >{labelOf(link)}
          <select
            class="in-line"
            value={String(fates[nameOf(link)]?.do ?? link.do)}
            onchange={(event) => {
              const chosen = event.currentTarget.value;
              fates = {
                ...fates,
                [nameOf(link)]: chosen === link.do ? link : { table: link.table, link: link.link, do: chosen },
              };
            }}
          >
            {#each ways(link) as way (way)}<option value={way}
                >{say(words[way] ?? '')}{way === 'follow' ? ` to ${String(link.to)}` : ''}</option
              >{/each}
          </select></label
        >
      </li>
    {/each}
  </ul>
{/if}
<p class="soft">What must not be lost stays where it is and is named in the plan.</p>

<style>
  h3 {
    margin: 6px 0;
    font-size: 14px;
  }
  .links {
    margin-bottom: 12px;
  }
  .links label {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 12px;
    align-items: center;
    justify-content: space-between;
    padding: 3px 0;
    border-top: 1px solid var(--line);
  }
  .soft {
    color: var(--ink-faint);
    font-size: 13px;
  }
</style>
