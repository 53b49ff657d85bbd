<script lang="ts">
  import type { Receipt } from '$core/intake/intake';
  import type { Table } from '$core/model/model';
  import { numberText } from '../values/show';

  /** The reconciliation: rows read = added + changed + unchanged + set aside + refused, and the sums of number columns before and after. */
  const { receipt, workspace, tables }: { receipt: Receipt; workspace: string; tables: readonly Table[] } = $props();
  const meets = $derived(receipt.sheets.some(({ changed }) => changed !== undefined));
  const hrefOf = (id: string) => {
    const table = tables.find((one) => one.id === id);
    return table ? `/w/${workspace}/t/${table.key}` : undefined;
  };
</script>

<div class="receipt" class:dry={receipt.dry}>
  <h2>{receipt.dry ? 'Dry run: this is what loading would do; nothing was written' : 'Receipt'} <span class="soft">{receipt.seconds.toFixed(1)} s</span></h2>
  <table>
    <thead
      ><tr
        ><th>sheet</th><th class="n">rows read</th><th>=</th><th class="n">added whole</th><th>+</th><th class="n">a value set aside</th><th>+</th
        >{#if meets}<th class="n">changed</th><th>+</th><th class="n">as they were</th><th>+</th>{/if}<th class="n">refused</th><th></th></tr
      ></thead
    >
    <tbody>
      {#each receipt.sheets as sheet, index (index)}
        <tr>
          <th scope="row"
            >{sheet.sheet} → {#if hrefOf(sheet.table)}<a href={hrefOf(sheet.table)}>{sheet.tableLabel}</a>{:else}{sheet.tableLabel}{/if}</th
          >
          <td class="n">{sheet.read.toLocaleString()}</td><td>=</td><td class="n good">{sheet.added.toLocaleString()}</td><td>+</td>
          <td class="n" class:warn={sheet.setAside > 0}>{sheet.setAside.toLocaleString()}</td><td>+</td>
          {#if meets}
            <td class="n">{(sheet.changed ?? 0).toLocaleString()}</td><td>+</td><td class="n">{(sheet.unchanged ?? 0).toLocaleString()}</td><td>+</td>
          {/if}
          <td class="n" class:bad={sheet.refused > 0}>{sheet.refused.toLocaleString()}</td>
          <td class="soft"
            >{sheet.read === sheet.added + (sheet.changed ?? 0) + (sheet.unchanged ?? 0) + sheet.setAside + sheet.refused ? 'adds up' : 'does not add up'}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
  <div class="details">
    {#each receipt.sheets as sheet, index (index)}
      {#each sheet.reasons as { field, reason, count, samples } (field + reason)}
        <p>
          <b class="warn">{count.toLocaleString()}</b>
          {sheet.tableLabel}{field ? `.${field}` : ''}: {reason} <span class="soft">{samples.join(', ')}{samples.length === 5 ? ', …' : ''}</span>
        </p>
      {/each}
      {#each sheet.changes ?? [] as { record, field, before, after } (record + field)}
        <p><b>{record}</b> {sheet.tableLabel}.{field}: {before === '' ? 'blank' : before} → {after === '' ? 'blank' : after}</p>
      {/each}
      {#if (sheet.changes?.length ?? 0) === 20}<p class="soft">
          The first 20 values that differ in {sheet.tableLabel} are shown; History has all of them.
        </p>{/if}
      {#each sheet.links as { field, made, missed } (field)}
        <p><b>{made.toLocaleString()}</b> links made from {sheet.tableLabel}.{field}{missed > 0 ? `, ${missed.toLocaleString()} missed` : ''}</p>
      {/each}
      {#each sheet.sums as { field, read, stored } (field)}
        <p>
          sum of {sheet.tableLabel}.{field}: read {numberText(read, null)}, stored {numberText(stored, null)}
          {#if read === stored}<span class="soft">difference 0</span>{:else}<span class="warn">they differ</span>{/if}
        </p>
      {/each}
    {/each}
  </div>
</div>

<style>
  .receipt {
    padding: 12px 16px;
    margin-bottom: 16px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-left: 4px solid var(--lichen);
  }
  .dry {
    border-left-color: var(--woad);
  }
  h2 {
    margin-bottom: 8px;
    font-size: 15px;
  }
  th,
  td {
    padding: 3px 10px;
    text-align: left;
  }
  thead th {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
  }
  .n {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .good {
    color: var(--lichen);
    font-weight: 600;
  }
  .warn {
    color: var(--weld);
  }
  .bad {
    color: var(--madder);
  }
  .soft {
    color: var(--ink-faint);
    font-weight: 400;
  }
  .details {
    margin-top: 10px;
    font-size: 13px;
  }
</style>
