<script lang="ts">
  import { untrack } from 'svelte';
  import { isWritten, ownTables, tableNamed, tableOf } from '$core/model/model';
  import Choice from '../Choice.svelte';
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
  <Choice
    label="Table that keeps the columns"
    of={ownTables(model)}
    bind:value={table}
    onchange={() => ([link, fields] = ['', null])}
  />
  {#if of}<Choice
      label="Link whose table is folded in"
      of={links}
      bind:value={link}
      onchange={() => (fields = null)}
    />{/if}
</div>
{#if linked}
  <FieldTicks
    legend="Fields of {linked.label} that become columns"
    fields={open}
    chosen={taken}
    onchange={(now) => (fields = now)}
  />
{/if}
