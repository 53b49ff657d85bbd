<script lang="ts">
  import { fieldItems, formsOf } from '$core/forms/form';
  import Button from '$ui/controls/Button.svelte';
  import { addressState } from '$ui/forms/design/addressWords';
  import { counted } from '$ui/values/words';
  import TableStage from '$ui/TableStage.svelte';

  /** The forms of a table: filled in here, or by outsiders. */
  const { data } = $props();
  const workspace = $derived(data.workspace.key);
  const table = $derived(data.table);
  const designs = $derived(data.workspace.may.tables[data.table.id]?.design ?? false);
  const root = $derived(`/w/${workspace}/t/${table.key}/forms`);
  const forms = $derived(formsOf(table));
  const takes = (id: string) => (data.addresses[id] ?? []).filter((one) => !addressState(one).ended).length;
  const came = (id: string) => (data.addresses[id] ?? []).reduce((sum, { entries }) => sum + entries, 0);
</script>

<svelte:head><title>Forms of {table.label} · {data.workspace.label} · Inner Loom</title></svelte:head>

<TableStage {table} side="forms">
  {#snippet head()}
    {#if designs}
      <Button href="{root}/new?for=inside">New form for inside</Button>
      <Button kind="main" href="{root}/new?for=outside">New form for outsiders</Button>
    {/if}
  {/snippet}
  <div class="forms">
    {#if forms.length === 0}
      <p class="none">
        No form yet. A form asks for what is needed, in its own words and order: from members of the workspace, who are
        spared the rest of the table, or from anybody who has its address, and who sees nothing else.
      </p>
    {:else}
      <table>
        <thead
          ><tr
            ><th>form</th><th>filled in by</th><th class="number">fields</th><th>addresses</th><th class="number"
              >entries from outside</th
            ><th></th></tr
          ></thead
        >
        <tbody>
          {#each forms as form (form.id)}
            <tr>
              <td
                ><a
                  href={form.audience === 'inside'
                    ? `${root}/${form.id}/fill`
                    : designs
                      ? `${root}/${form.id}`
                      : `${root}/${form.id}/fill`}>{form.label}</a
                ></td
              >
              <td>{form.audience === 'inside' ? 'members of the workspace' : 'anybody with an address'}</td>
              <td class="number">{fieldItems(form).length}</td>
              <td
                >{form.audience === 'inside'
                  ? '—'
                  : takes(form.id) > 0
                    ? `${counted(takes(form.id), 'takes entries', 'take entries')}`
                    : (data.addresses[form.id] ?? []).length > 0
                      ? 'all ended'
                      : 'none yet'}</td
              >
              <td class="number">{form.audience === 'inside' ? '—' : came(form.id).toLocaleString()}</td>
              <td class="steps">
                <Button href="{root}/{form.id}/fill" label="Fill in {form.label}">Fill in</Button>
                {#if designs}
                  <Button href="{root}/{form.id}" label="Design {form.label}">Design</Button>
                  <Button href="{root}/new?from={form.id}" label="Copy {form.label}">Copy</Button>
                  {#if form.audience === 'outside'}<Button
                      href="{root}/{form.id}?side=addresses"
                      label="Addresses of {form.label}">Addresses</Button
                    >{/if}
                {/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
  </div>
</TableStage>

<style>
  .forms {
    flex: 1;
    padding: 10px 14px;
    overflow: auto;
    background: var(--raised);
    border-top: 1px solid var(--line);
  }
  .none {
    max-width: 560px;
    padding: 20px 0;
    color: var(--ink-soft);
  }
  table {
    width: 100%;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 7px 10px;
    text-align: left;
    border-bottom: 1px solid var(--line);
  }
  th {
    color: var(--ink-faint);
    font-size: 13px;
    font-weight: 500;
  }
  td a {
    font-weight: 600;
  }
  .number {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .steps {
    text-align: right;
    white-space: nowrap;
  }
  .steps :global(a) {
    margin-left: 6px;
  }
</style>
