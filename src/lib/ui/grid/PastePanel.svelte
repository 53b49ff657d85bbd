<script lang="ts">
  import Button from '../controls/Button.svelte';
  import WorkGoing from '../structure/WorkGoing.svelte';
  import { counted } from '../values/words';
  import type { RecordWork } from '../records/recordWork.svelte';

  /** What pasted cells would do, before they are written: how many fit, and each that does not with its reason. */
  const { work, oncancel }: { work: RecordWork; oncancel: () => void } = $props();
  const pasting = $derived(work.pasting);
  const labels = $derived(new Map(pasting?.fields.map(({ key, label }) => [key, label])));
  const cells = (n: number) => counted(n, 'cell');
</script>

{#if pasting}
  {@const { preview } = pasting}
  {@const problemRows = preview.problemRows ?? 0}
  <ul class="counts">
    <li class="fit">{cells(preview.cells.fit)} fit, {preview.cells.blank.toLocaleString()} blank</li>
    {#if preview.records.changed > 0}<li>{counted(preview.records.changed, 'record')} written over</li>{/if}
    {#if preview.records.made > 0}<li class="fit">{counted(preview.records.made, 'record')} made</li>{/if}
    {#if problemRows > 0}<li class="misfit">
        {counted(problemRows, 'row')} cannot be written{preview.moreProblems ? ', at least' : ''}
      </li>{/if}
    {#if preview.cells.misfit > 0}<li class="misfit">
        {cells(preview.cells.misfit)}
        {preview.cells.misfit === 1 ? 'does' : 'do'} not fit
      </li>{/if}
  </ul>
  {#if pasting.passedOver.length > 0}<p class="soft">
      Passed over, as nothing can be entered there: {pasting.passedOver.join(', ')}.
    </p>{/if}
  {#each preview.readings.filter(({ either, dateOrder }) => either || dateOrder !== 'ymd') as reading (reading.field)}
    <p class="soft">
      {labels.get(reading.field)} read as
      <select
        class="in-line"
        aria-label="Order of day and month in {labels.get(reading.field)}"
        value={reading.dateOrder}
        onchange={(event) => void work.readPaste({ [reading.field]: { dateOrder: event.currentTarget.value } })}
      >
        <option value="ymd">year, month, day</option><option value="dmy">day, month, year</option><option value="mdy"
          >month, day, year</option
        >
      </select>{#if reading.either}: it could be either.{/if}
    </p>
  {/each}
  {#if preview.problems && preview.problems.length > 0}
    <h3>Cannot be written</h3>
    <table>
      <thead><tr><th>Row</th><th>Field</th><th>Why</th></tr></thead>
      <tbody>
        {#each preview.problems.slice(0, 30) as { row, field, message }, index (index)}
          <tr><td>{row + 1}</td><td>{field === null ? 'the record' : labels.get(field)}</td><td>{message}</td></tr>
        {/each}
      </tbody>
    </table>
    {#if preview.problems.length > 30 || preview.moreProblems}<p class="soft">
        The first {Math.min(30, preview.problems.length)} are shown.
      </p>{/if}
  {/if}
  {#if preview.misfits.length > 0}
    <h3>Does not fit</h3>
    <table>
      <thead><tr><th>Row</th><th>Field</th><th>Text</th></tr></thead>
      <tbody>
        {#each preview.misfits.slice(0, 30) as { row, field, text, reason }, index (index)}
          <tr><td>{row + 1}</td><td>{labels.get(field)}</td><td><b>{text}</b><br /><small>{reason}</small></td></tr>
        {/each}
      </tbody>
    </table>
    {#if preview.cells.misfit > 30}<p class="soft">The first 30 of {preview.cells.misfit.toLocaleString()}.</p>{/if}
  {/if}
  {#if work.watched.current}<WorkGoing work={work.watched.current} onstop={() => void work.watched.stop()} />
  {:else if work.going}<p role="status">Writing and calculating …</p>
  {:else}
    <div class="steps">
      {#if problemRows > 0}
        <Button kind="main" disabled={problemRows >= pasting.rows.length} onclick={() => void work.leaveProblems()}
          >Leave {counted(problemRows, 'row')} out</Button
        >
      {:else}
        <Button kind="main" onclick={() => void work.doPaste('setAside')}
          >{preview.cells.misfit > 0
            ? `Write ${preview.cells.fit.toLocaleString()}, set ${preview.cells.misfit.toLocaleString()} aside`
            : `Write ${cells(preview.cells.fit)}`}</Button
        >
        {#if preview.cells.misfit > 0}<Button onclick={() => void work.doPaste('leave')}>Write only what fits</Button
          >{/if}
      {/if}
      <Button kind="quiet" onclick={oncancel}>Cancel</Button>
    </div>
    {#if preview.cells.misfit > 0}<p class="soft">
        What is set aside stays beside its record, which is blank there, until it is fixed. Written only what fits,
        those cells keep what they have.
      </p>{/if}
  {/if}
{/if}

<style>
  .counts li {
    padding: 4px 0 4px 12px;
    margin-bottom: 4px;
    border-left: 3px solid var(--line-strong);
  }
  .counts .fit {
    border-color: var(--lichen);
  }
  .counts .misfit {
    border-color: var(--weld);
  }
  h3 {
    margin: 12px 0 0;
    font-size: 14px;
  }
  .soft {
    margin: 6px 0;
    color: var(--ink-soft);
    font-size: 13px;
  }
  table {
    width: 100%;
    margin: 8px 0;
    font-size: 13px;
  }
  th {
    color: var(--ink-soft);
    text-align: left;
    white-space: nowrap;
  }
  td,
  th {
    padding: 3px 8px 3px 0;
    vertical-align: top;
    border-bottom: 1px solid var(--line);
    overflow-wrap: break-word;
  }
  small {
    color: var(--ink-soft);
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 12px;
  }
</style>
