<script lang="ts">
  import { say } from '$core/base/say';
  import type { TransferReceipt } from '$core/transfer/receipt';
  import { counted } from '../values/words';

  /** What a transfer came to: what became of the records, sums on both sides, formulas before and after. */
  const {
    receipt,
    root,
    tables,
    misfits,
  }: {
    receipt: TransferReceipt;
    root: string;
    tables: readonly string[];
    /** Where the file of what did not come along whole is. */
    misfits: string;
  } = $props();
  const words = {
    copyRecords: 'read',
    setValues: 'looked at',
    pointLinks: 'links',
    clearLinks: 'links',
    removeRecords: 'records',
  };
  const doneWords = {
    copyRecords: 'written',
    setValues: 'changed',
    pointLinks: 'pointed',
    clearLinks: 'made blank',
    removeRecords: 'taken out',
  };
  const sameWords = {
    copyRecords: 'already there',
    setValues: 'had it already',
    pointLinks: 'linked already',
    clearLinks: '',
    removeRecords: '',
  };
</script>

<table class="listing">
  <thead><tr><th>step</th><th class="n">records</th><th>what became of them</th></tr></thead>
  <tbody>
    {#each receipt.lines as line, at (at)}
      <tr>
        <td>{line.words}</td>
        <td class="n">{line.chosen.toLocaleString()} {say(words[line.did])}</td>
        <td>
          {line.written.toLocaleString()}
          {doneWords[line.did]}{#if line.same > 0}; {line.same.toLocaleString()} {sameWords[line.did]}{/if}
          {#if line.aside > 0}<p class="warn">
              ⚠ {counted(line.aside, 'value')} did not fit and will wait in Set aside.
              <a href="{misfits}?step={at}&what=values" download>Download them</a>
            </p>{/if}
          {#each line.left as left, index (index)}
            <details>
              <summary>{counted(left.count, 'record')} left: {left.reason}</summary>
              <ul>
                {#each left.records as { id, title } (id)}<li>
                    {#if line.table !== null && tables.includes(line.table)}<a href="{root}/t/{line.table}/r/{id}"
                        >{title}</a
                      >{:else}{title}{/if}
                  </li>{/each}
                {#if left.count > left.records.length}<li class="soft">
                    and {(left.count - left.records.length).toLocaleString()} more
                  </li>{/if}
              </ul>
            </details>
          {/each}
          {#if line.left.some(({ records }) => records.length > 0)}<a href="{misfits}?step={at}" download
              >Download the records left</a
            >{/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>
{#if receipt.sums.length > 0}
  <h3>Sums</h3>
  <table class="listing">
    <thead><tr><th>from</th><th class="n">before</th><th class="n">after</th><th>to</th></tr></thead>
    <tbody
      >{#each receipt.sums as { from, to, before, after }, at (at)}<tr class:differs={before !== after}
          ><td>{from}</td><td class="n">{Number(before).toLocaleString()}</td><td class="n"
            >{Number(after).toLocaleString()}{before === after ? ' ✓' : ''}</td
          ><td>{to}</td></tr
        >{/each}</tbody
    >
  </table>
{/if}
{#if receipt.formulas.length > 0}
  <h3>Calculated fields, before and after</h3>
  <table class="listing">
    <thead><tr><th>field</th><th class="n">records</th><th>values</th></tr></thead>
    <tbody
      >{#each receipt.formulas as { field, records, differ, samples }, at (at)}<tr class:differs={differ > 0}
          ><td>{field}</td><td class="n">{records.toLocaleString()}</td><td
            >{#if differ === 0}the same ✓{:else}{counted(differ, 'record')} would differ{/if}
            {#if samples.length > 0}<details open={differ > 0}>
                <summary>{differ > 0 ? 'Which' : 'Side by side'}</summary>
                <table class="sides">
                  <tbody
                    >{#each samples as { record, before, after }, index (index)}<tr
                        ><td>{record}</td><td>{before || 'blank'}</td><td>{after || 'blank'}</td></tr
                      >{/each}</tbody
                  >
                </table>
              </details>{/if}</td
          ></tr
        >{/each}</tbody
    >
  </table>
{/if}
<p class="soft">{receipt.seconds.toLocaleString()} s</p>

<style>
  h3 {
    margin: 14px 0 4px;
    font-size: 14px;
  }
  .n {
    text-align: right;
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
  }
  td {
    vertical-align: top;
  }
  summary {
    color: var(--woad);
    cursor: pointer;
  }
  ul {
    padding-left: 16px;
    font-size: 13px;
  }
  .sides {
    font-size: 13px;
  }
  .sides td {
    padding: 1px 14px 1px 0;
  }
  .differs {
    color: var(--madder);
  }
  .soft {
    margin-top: 6px;
    color: var(--ink-faint);
    font-size: 12px;
  }
</style>
