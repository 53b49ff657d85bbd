<script lang="ts">
  import type { StepDone } from '$core/routines/log';
  import { counted, tookWords } from '../values/words';
  import { stepUis } from './step';

  /** What the steps of a run did, or would do, one below the other. */
  const {
    steps,
    href,
    tried = false,
  }: {
    steps: readonly StepDone[];
    /** The address of a record of a table, by its label; null where there is none. */
    href: (table: string, record: number) => string | null;
    /** Nothing of it stands. */
    tried?: boolean;
  } = $props();
  const came = ({ made, changed, sent }: StepDone) =>
    [
      made > 0 ? `${counted(made, 'record')} made` : '',
      changed > 0 ? `${counted(changed, 'record')} changed` : '',
      sent > 0 ? `${sent.toLocaleString()} ${tried ? 'would be sent' : 'to be sent'}` : '',
    ]
      .filter(Boolean)
      .join(', ') || 'nothing to do';
</script>

<ol class="done">
  {#each steps as step, at (at)}
    {@const { icon: Icon } = stepUis[step.do]}
    <li>
      <p class="head"><Icon size={14} /> <b>{step.words}</b></p>
      <p class="soft">for {counted(step.records, 'record')}: {came(step)} · {tookWords(step.took)}</p>
      {#each step.samples as { table, record, values }, index (index)}
        {@const to = record === null ? null : href(table, record)}
        <dl>
          <dt>
            {#if to}<a href={to}>{table} #{record}</a>{:else}{table}{record === null ? ', new' : ` #${record}`}{/if}
          </dt>
          <dd>
            {#each Object.entries(values) as [label, value] (label)}
              <span class="pair"><span class="soft">{label}</span> <span class="text">{value || 'blank'}</span></span>
            {/each}
          </dd>
        </dl>
      {/each}
    </li>
  {/each}
</ol>

<style>
  .done {
    padding-left: 10px;
    border-left: 2px solid var(--line-strong);
  }
  li {
    margin-bottom: 12px;
  }
  .head {
    display: flex;
    gap: 6px;
    align-items: baseline;
    overflow-wrap: anywhere;
  }
  .head > :global(svg) {
    flex: none;
    align-self: center;
    color: var(--woad);
  }
  .soft {
    color: var(--ink-soft);
    font-size: 13px;
  }
  dl {
    padding: 4px 8px;
    margin-top: 4px;
    font-size: 13px;
    background: var(--sunken);
    border-radius: var(--radius);
  }
  dt {
    font-weight: 600;
  }
  dt a {
    color: var(--woad);
    text-decoration: underline;
  }
  .pair {
    display: flex;
    gap: 8px;
  }
  .pair .soft {
    flex: none;
    min-width: 90px;
  }
  .text {
    overflow-wrap: anywhere;
    white-space: pre-line;
  }
</style>
