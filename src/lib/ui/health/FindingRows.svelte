<script lang="ts">
  import { say } from '$core/base/say';
  import type { Table } from '$core/types/model';
  import type { Finding } from '$server/health/finding';
  import { countOf, fixOf, structureOf } from './finding';

  /**
   * The findings of one table: how many records, why, the first of them, what fixes it, and a way to say that it is as
   * it should be.
   */
  const {
    workspace,
    table,
    findings,
    mayAccept,
    chosen,
    onaccept,
  }: {
    workspace: string;
    table: Table;
    findings: readonly Finding[];
    mayAccept: boolean;
    /** The finding that is being accepted. */
    chosen: string | null;
    onaccept: (finding: Finding) => void;
  } = $props();
</script>

<table>
  <thead
    ><tr
      ><th class="count">records</th><th>field</th><th>why</th><th>the first of them</th><th
        ><span class="sr-only">what to do</span></th
      ></tr
    ></thead
  >
  <tbody>
    {#each findings as finding (finding.id)}
      {@const fix = fixOf(workspace, table, finding)}
      <tr class:chosen={finding.id === chosen}>
        <td class="count">{countOf(finding)}</td>
        <td><a href={structureOf(workspace, table, finding)} title="Look at the field">{finding.label}</a></td>
        <td
          >{finding.words}{#if finding.part}: <code>{finding.part}</code>{/if}
          {#if finding.acceptedRecords}<span class="soft">{finding.acceptedRecords} more accepted one by one</span
            >{/if}</td
        >
        <td class="soft">
          {#each finding.records.slice(0, 3) as { id, title }, index (id)}{index > 0 ? ', ' : ''}<a
              href="/w/{workspace}/t/{table.key}?record={id}">{title}</a
            >{/each}{finding.records.length > 0 && finding.count > 3 ? ' …' : ''}
        </td>
        <td class="go"
          >{#if fix}<a href={fix.href}>{say(fix.words)}</a>{/if}
          {#if mayAccept}<button aria-label="Accept: {finding.label} {finding.words}" onclick={() => onaccept(finding)}
              >Accept …</button
            >{/if}</td
        >
      </tr>
    {/each}
  </tbody>
</table>

<style>
  table {
    width: 100%;
    table-layout: fixed;
    font-size: 13px;
  }
  th:nth-child(2) {
    width: 18%;
  }
  th:nth-child(4) {
    width: 24%;
  }
  th:nth-child(5) {
    width: 150px;
  }
  th {
    padding: 4px 8px;
    color: var(--ink-faint);
    font-weight: 500;
    text-align: left;
  }
  td {
    padding: 6px 8px;
    border-top: 1px solid var(--line);
    vertical-align: top;
    overflow-wrap: anywhere;
  }
  .chosen td {
    background: var(--woad-tint);
  }
  .count {
    width: 72px;
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  code {
    font-size: 12px;
  }
  .soft {
    color: var(--ink-soft);
  }
  .go {
    text-align: right;
  }
  .go a {
    display: inline-block;
    line-height: 24px;
  }
  .go button {
    display: inline-block;
    line-height: 24px;
    margin-left: 8px;
    color: var(--ink-soft);
    white-space: nowrap;
  }
  .go button:hover {
    text-decoration: underline;
  }
  a {
    color: var(--woad);
  }
  @media (max-width: 800px) {
    th:nth-child(4),
    td:nth-child(4) {
      display: none;
    }
    th:nth-child(5) {
      width: 110px;
    }
  }
</style>
