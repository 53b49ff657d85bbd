<script lang="ts">
  import { untrack } from 'svelte';
  import { isWritten, ownTables, tableNamed, tableOf } from '$core/model/model';
  import FieldTicks from '../FieldTicks.svelte';
  import type { FormProps } from '../form';

  /** A linked table becomes columns of the table that links to it. */
  const { model, begun, onwant }: FormProps = $props();
  const start = untrack(() => begun);
  let table = $state(String(start.table ?? ''));
  let link = $state(String(start.link ?? ''));
  let fields = $state.raw<readonly string[] | null>((start.fields as readonly string[] | undefined) ?? null);
  const accept = untrack(() => begun.accept === true);
  const of = $derived(tableNamed(model, table));
  const links = $derived((of?.fields ?? []).filter(({ type }) => type.kind === 'link'));
  const chosen = $derived(links.find(({ key }) => key === link));
  const linked = $derived(chosen?.type.kind === 'link' ? tableOf(model, chosen.type.to) : null);
  const open = $derived((linked?.fields ?? []).filter(isWritten));
  const taken = $derived(fields ?? open.map(({ key }) => key));

  $effect(() => {
    const json = linked ? { work: 'foldIn', table, link, fields: taken, ...(accept ? { accept } : {}) } : null;
    untrack(() => onwant(json));
  });
</script>

<div class="asking">
  <label
    >Table that keeps the columns
    <select class="in-line" bind:value={table} onchange={() => ([link, fields] = ['', null])}>
      <option value="" disabled>choose</option>
      {#each ownTables(model) as { key, label } (key)}<option value={key}>{label}</option>{/each}
    </select></label
  >
  {#if of}<label
      >Link whose table is folded in
      <select class="in-line" bind:value={link} onchange={() => (fields = null)}>
        <option value="" disabled>choose</option>
        {#each links as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </select></label
    >{/if}
</div>
{#if linked}
  <FieldTicks
    legend="Fields of {linked.label} that become columns"
    fields={open}
    chosen={taken}
    onchange={(now) => (fields = now)}
  />
{/if}
