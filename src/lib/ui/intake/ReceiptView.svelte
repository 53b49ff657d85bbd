<script lang="ts">
  import type { Receipt } from '$core/intake/intake';
  import type { Table } from '$core/types/model';
  import { Exact } from '$core/fieldTypes/number';
  import CountChart from '../summaries/CountChart.svelte';
  import Button from '../controls/Button.svelte';
  import { numberText } from '$core/fieldTypes/numberText';
  import { counted } from '../values/words';

  /**
   * The reconciliation: rows read = added + changed + unchanged + set aside + refused, and the sums of number columns
   * before and after.
   */
  const {
    receipt,
    workspace,
    tables,
    onkeep,
  }: {
    receipt: Receipt;
    workspace: string;
    tables: readonly Table[];
    /** Before loading: values of records are to stay as they are, by sheet, row and column. */
    onkeep?: (cells: readonly { sheet: number; row: number; column: number }[]) => void;
  } = $props();
  const meets = $derived(receipt.sheets.some(({ changed }) => changed !== undefined));
  /** Tables that several sheets went into: there the sheet is said, too. */
  const twice = $derived(
    new Set(receipt.sheets.map(({ table }) => table).filter((id, index, all) => all.indexOf(id) !== index)),
  );
  const of = <T,>(part: (sheet: Receipt['sheets'][number]) => readonly (T & { readonly field: string })[]) =>
    receipt.sheets.flatMap((sheet) =>
      part(sheet).map((one) => ({
        ...one,
        where: `${twice.has(sheet.table) ? `${sheet.sheet}: ` : ''}${sheet.tableLabel}${one.field === '' ? '' : `.${one.field}`}`,
        table: sheet.table,
        sheet: sheet.index ?? 0,
      })),
    );
  const misfits = $derived(of(({ reasons }) => reasons).sort((a, b) => b.count - a.count));
  /** Values that the person does not take. */
  let kept = $state<{ sheet: number; row: number; column: number }[]>([]);
  const changes = $derived(of(({ changes: all = [] }) => all));
  const sums = $derived(of((sheet) => sheet.sums));
  const differenceOf = (a: string, b: string) => numberText(new Exact(a).minus(b).toFixed(), null);
  /** How long the bar of one sum is beside the other one's, in percent. */
  const shareOf = (one: string, other: string) =>
    (100 * Math.abs(Number(one))) / (Math.max(Math.abs(Number(one)), Math.abs(Number(other))) || 1);
  const links = $derived(of((sheet) => sheet.links));
  /** Columns of which something did not end up in a record, the others only counted. */
  const cells = $derived(receipt.sheets.flatMap(({ sheet, cells: all = [] }) => all.map((one) => ({ ...one, sheet }))));
  const partly = $derived(cells.filter(({ filled, written }) => filled !== written));
  const inFile = $derived(
    receipt.sheets.flatMap(({ sheet, read, inFile: rows }) =>
      rows
        ? [
            {
              sheet,
              read,
              ...rows,
              all: rows.above + rows.names + rows.blank + (rows.turned ?? (rows.leftOut ?? 0) + read),
            },
          ]
        : [],
    ),
  );
  const hrefOf = (id: string) => {
    const table = tables.find((one) => one.id === id);
    return table ? `/w/${workspace}/t/${table.key}` : undefined;
  };
</script>

<div class="receipt" class:dry={receipt.dry}>
  <h2>
    {receipt.dry ? 'Dry run: this is what loading would do; nothing was written' : 'Receipt'}
    <span class="soft">{receipt.seconds.toFixed(1)} s</span>
  </h2>
  <table>
    <thead
      ><tr
        ><th>sheet</th><th class="n">rows read</th><th>=</th><th class="n">added</th><th>+</th><th class="n"
          >with values set aside</th
        ><th>+</th>{#if meets}<th class="n">changed</th><th>+</th><th class="n">unchanged</th><th>+</th>{/if}<th
          class="n">refused</th
        ><th></th></tr
      ></thead
    >
    <tbody>
      {#each receipt.sheets as sheet, index (index)}
        <tr>
          <th scope="row"
            >{sheet.sheet} → {#if hrefOf(sheet.table)}<a href={hrefOf(sheet.table)}>{sheet.tableLabel}</a
              >{:else}{sheet.tableLabel}{/if}</th
          >
          <td class="n">{sheet.read.toLocaleString()}</td><td>=</td><td class="n good"
            >{sheet.added.toLocaleString()}</td
          ><td>+</td>
          <td class="n" class:warn={sheet.setAside > 0}>{sheet.setAside.toLocaleString()}</td><td>+</td>
          {#if meets}
            <td class="n">{(sheet.changed ?? 0).toLocaleString()}</td><td>+</td><td class="n"
              >{(sheet.unchanged ?? 0).toLocaleString()}</td
            ><td>+</td>
          {/if}
          <td class="n" class:bad={sheet.refused > 0}>{sheet.refused.toLocaleString()}</td>
          <td class="soft"
            >{sheet.read ===
            sheet.added + (sheet.changed ?? 0) + (sheet.unchanged ?? 0) + sheet.setAside + sheet.refused
              ? 'adds up'
              : 'does not add up'}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
  {#each inFile as { sheet, read, above, names, blank, leftOut = 0, turned, all }, index (index)}
    {@const out = leftOut > 0 ? ` + ${leftOut.toLocaleString()} left out` : ''}
    <p class="soft">
      {sheet}: {all.toLocaleString()} rows in the file = {(turned ?? read).toLocaleString()}
      {turned ? 'with values in columns' : 'read'} + {names} with the names{above > 0
        ? ` + ${above} above them`
        : ''}{blank > 0 ? ` + ${blank.toLocaleString()} blank` : ''}{turned ? '' : out}{#if turned}; those columns
        became {(read + leftOut).toLocaleString()} rows = {read.toLocaleString()} read{out}{/if}
    </p>
  {/each}
  {#each receipt.sheets as { sheet, leftOut = [], inFile: rows }, index (index)}
    {#if leftOut.length > 0}
      <p class="soft">Left out of {sheet}:</p>
      <ul class="soft">
        {#each leftOut as { row, why, text } (row)}<li>row {row.toLocaleString()} “{text}”: {why}</li>{/each}
        {#if (rows?.leftOut ?? 0) > leftOut.length}<li>The first {leftOut.length} are shown.</li>{/if}
      </ul>
    {/if}
  {/each}
  {#each receipt.sheets as { sheet, notes = [] }, index (index)}
    {#each notes as note (note)}<p class="soft">{sheet}: <span class="warn">{note}</span></p>{/each}
  {/each}
  {#each receipt.sheets as { tableLabel, madeBeside = [] }, index (index)}
    {#each madeBeside as { field, table, count } (field)}
      <p class="soft">{counted(count, 'new record')} of {table}, for what {tableLabel}.{field} names</p>
    {/each}
  {/each}
  {#each receipt.sheets as { tableLabel, newOptions = [] }, index (index)}
    {#each newOptions as { field, options } (field)}
      <p class="soft">
        New options of {tableLabel}.{field}: {options.slice(0, 20).join(', ')}{options.length > 20
          ? ` and ${options.length - 20} more`
          : ''}
      </p>
    {/each}
  {/each}
  {#if cells.length > 0}
    <p class="soft">
      {cells.reduce((sum, { filled }) => sum + filled, 0).toLocaleString()} filled cells, all accounted for{partly.length ===
      0
        ? ': each is in its record.'
        : '; these are not all in their records:'}
    </p>
  {/if}
  {#if partly.length > 0}
    <table>
      <thead
        ><tr
          ><th>column</th><th>field</th><th class="n">filled cells</th><th>=</th><th class="n">in records</th><th>+</th
          ><th class="n">set aside</th><th>+</th><th class="n">in refused rows</th><th>+</th><th class="n"
            >taken as blank</th
          ><th>+</th><th class="n">left out</th></tr
        ></thead
      >
      <tbody>
        {#each partly as one, index (index)}
          <tr>
            <th scope="row">{one.sheet}.{one.column}</th><td>{one.field ?? 'none'}</td><td class="n"
              >{one.filled.toLocaleString()}</td
            ><td>=</td>
            <td class="n">{one.written.toLocaleString()}</td><td>+</td><td class="n" class:warn={one.setAside > 0}
              >{one.setAside.toLocaleString()}</td
            ><td>+</td>
            <td class="n" class:bad={one.refused > 0}>{one.refused.toLocaleString()}</td><td>+</td><td class="n"
              >{one.blank.toLocaleString()}</td
            ><td>+</td>
            <td class="n" class:warn={one.leftOut > 0}>{one.leftOut.toLocaleString()}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
  <div class="details">
    {#if misfits.length > 0}
      <section>
        <h3>What did not fit</h3>
        {#if misfits.length > 1}<CountChart
            lying
            bars={misfits.map(({ where, reason, count }) => ({ label: `${where}: ${reason}`, count }))}
            unit="values"
            called="What did not fit, by its reason"
          />{/if}
        <ul>
          {#each misfits as { where, reason, count, samples, table }, index (index)}
            <li>
              <b class="warn">{count.toLocaleString()}</b>
              {where}: {reason} <span class="soft">{samples.join(', ')}{samples.length === 5 ? ', …' : ''}</span>
              {#if !receipt.dry && hrefOf(table) && !reason.startsWith('refused')}<a href="/w/{workspace}/set-aside"
                  >Fix them</a
                >{/if}
            </li>
          {/each}
        </ul>
      </section>
    {/if}
    {#if changes.length > 0}
      <section>
        <h3>What differs</h3>
        <ul>
          {#each changes as { where, record, before, after, sheet, row, column }, index (index)}
            {@const words = `${before === '' ? 'blank' : before} → ${after === '' ? 'blank' : after}`}
            <li>
              {#if onkeep && row !== undefined && column !== undefined}<label
                  ><input
                    type="checkbox"
                    checked={!kept.some((one) => one.sheet === sheet && one.row === row && one.column === column)}
                    onchange={(event) => {
                      const others = kept.filter(
                        (one) => one.sheet !== sheet || one.row !== row || one.column !== column,
                      );
                      kept = event.currentTarget.checked ? others : [...others, { sheet, row, column }];
                    }}
                  />
                  <b>{record}</b>
                  {where}: {words}</label
                >{:else}<b>{record}</b> {where}: {words}{/if}
            </li>
          {/each}
        </ul>
        {#if receipt.sheets.some(({ changes: all = [] }) => all.length >= 200)}<p class="soft">
            The first 200 values that differ in each table are shown; History has all of them once they are loaded.
          </p>{/if}
        {#if onkeep && kept.length > 0}<Button onclick={() => onkeep(kept)}
            >Keep {counted(kept.length, 'value')} as {kept.length === 1 ? 'it is' : 'they are'}</Button
          >{/if}
      </section>
    {/if}
    {#if sums.length > 0}
      <section>
        <h3>Sums before and after</h3>
        <table>
          <thead><tr><th>sum of</th><th class="n">read</th><th class="n">stored</th><th></th><th></th></tr></thead>
          <tbody>
            {#each sums as { where, unit, read, stored, twice }, index (index)}
              {@const behind = unit ? ` ${unit}` : ''}
              <tr
                ><th scope="row">{where}</th><td class="n">{numberText(read, null)}{behind}</td><td class="n"
                  >{numberText(stored, null)}{behind}</td
                ><td
                  >{#if read === stored}<span class="soft">difference 0</span>{:else}<span class="warn"
                      >difference {differenceOf(stored, read)}</span
                    >{/if}{#if twice}<br /><span class="warn"
                      >twice what a row says: is it a total? Leave it out, or the sum counts it too.</span
                    >{/if}</td
                ><td class="bars" aria-hidden="true"
                  ><i style:width="{shareOf(read, stored)}%"></i><i
                    class:less={read !== stored}
                    style:width="{shareOf(stored, read)}%"
                  ></i></td
                ></tr
              >
            {/each}
          </tbody>
        </table>
      </section>
    {/if}
    {#if links.length > 0}
      <section>
        <h3>Links</h3>
        <table>
          <thead><tr><th>from</th><th class="n">made</th><th class="n">missed</th></tr></thead>
          <tbody>
            {#each links as { where, made, missed }, index (index)}
              <tr
                ><th scope="row">{where}</th><td class="n">{made.toLocaleString()}</td><td
                  class="n"
                  class:warn={missed > 0}>{missed.toLocaleString()}</td
                ></tr
              >
            {/each}
          </tbody>
        </table>
      </section>
    {/if}
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
  a {
    text-decoration: underline;
    text-underline-offset: 2px;
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
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(420px, 100%), 1fr));
    gap: 4px 32px;
    margin-top: 10px;
    font-size: 13px;
  }
  h3 {
    margin: 12px 0 4px;
    font-size: 14px;
  }
  .details th {
    font-weight: 400;
  }
  .details tr {
    border-top: 1px solid var(--line);
  }
  .details :is(th, td):first-child {
    padding-left: 0;
  }
  .bars {
    width: 90px;
  }
  .bars i {
    display: block;
    height: 4px;
    margin: 2px 0;
    background: var(--line-strong);
  }
  .bars i + i {
    background: var(--woad);
  }
  .bars .less {
    background: var(--weld);
  }
  thead .n {
    text-align: right;
  }
</style>
