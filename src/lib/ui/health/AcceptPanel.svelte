<script lang="ts">
  import { Label, Textarea } from 'flowbite-svelte';
  import type { Model, Table } from '$core/types/model';
  import type { Finding } from '$server/health/finding';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import ConditionBuilder from '../formula/ConditionBuilder.svelte';
  import { useFrame } from '../frame/context';
  import Inspector from '../frame/Inspector.svelte';
  import { counted } from '../values/words';

  /**
   * Says of a finding that it is as it should be: for certain records, for those that meet a condition, or as a whole.
   */
  const {
    model,
    table,
    finding,
    onclose,
    onaccepted,
  }: { model: Model; table: Table; finding: Finding; onclose: () => void; onaccepted: () => void } = $props();
  const frame = useFrame();
  type For = 'condition' | 'records' | 'whole';
  let way = $state<For>('whole');
  let condition = $state('');
  let records = $state<readonly number[]>([]);
  let reason = $state('');
  let problem = $state('');
  let busy = $state(false);
  const ready = $derived(
    reason.trim() !== '' && (way === 'whole' || (way === 'condition' ? condition.trim() !== '' : records.length > 0)),
  );

  async function accept(event: SubmitEvent) {
    event.preventDefault();
    if (!ready || busy) return;
    busy = true;
    const answer = await call('POST', workspacePath(frame.workspace.key, `/tables/${table.key}/findings/accepted`), {
      finding: finding.id,
      reason: reason.trim(),
      ...(way === 'condition' ? { condition } : way === 'records' ? { records } : {}),
    });
    busy = false;
    if (answer.ok) onaccepted();
    else problem = `${answer.problem.message} ${answer.problem.fix ?? ''}`;
  }
  const toggle = (id: number) =>
    (records = records.includes(id) ? records.filter((one) => one !== id) : [...records, id]);
</script>

<Inspector kind="Accept a finding" title={finding.label} dye={table.dye} {onclose}>
  <p>
    {finding.words}{#if finding.part}: <code>{finding.part}</code>{/if}
  </p>
  <p class="soft">What you accept is no longer counted or listed in Health. You can undo it below the list.</p>
  <form onsubmit={accept}>
    <fieldset>
      <legend class="sr-only">Accept it for</legend>
      <label><input type="radio" bind:group={way} value="whole" /> all records, also those to come</label>
      {#if finding.byRecord}
        <label><input type="radio" bind:group={way} value="condition" /> records that meet a condition</label>
        {#if way === 'condition'}
          <div class="more">
            <ConditionBuilder
              {model}
              {table}
              formula={condition}
              zone={frame.workspace.zone}
              onchange={(now) => (condition = now)}
            />
          </div>
        {/if}
        <label><input type="radio" bind:group={way} value="records" /> certain records</label>
        {#if way === 'records'}
          <ul class="more">
            {#each finding.records as { id, title } (id)}
              <li>
                <label
                  ><input type="checkbox" checked={records.includes(id)} onchange={() => toggle(id)} /> {title}</label
                >
              </li>
            {/each}
          </ul>
          {#if finding.count > finding.records.length}<p class="more soft">
              The first {finding.records.length} of {counted(finding.count, 'record')}. Accept the others by a
              condition.
            </p>{/if}
        {/if}
      {/if}
    </fieldset>
    <Label class="mt-3"
      >Why is this fine?<Textarea
        class="mt-1 w-full"
        rows={2}
        placeholder="Still on loan"
        required
        bind:value={reason}
      /></Label
    >
    {#if problem}<p class="refused" role="alert">{problem}</p>{/if}
    <div class="do">
      <Button kind="main" type="submit" disabled={!ready || busy}>Accept</Button><Button kind="quiet" onclick={onclose}
        >Cancel</Button
      >
    </div>
  </form>
</Inspector>

<style>
  .soft {
    color: var(--ink-soft);
    font-size: 13px;
  }
  fieldset {
    margin-top: 12px;
  }
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 3px 0;
  }
  .more {
    padding: 2px 0 8px 22px;
  }
  .refused {
    margin-top: 8px;
    color: var(--madder);
  }
  .do {
    display: flex;
    gap: 8px;
    margin-top: 14px;
  }
</style>
