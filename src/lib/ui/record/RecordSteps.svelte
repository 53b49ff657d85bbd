<script lang="ts">
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import type { RecordStep } from '$server/records/recordHistory';
  import { call, workspacePath } from '../api';
  import { useFrame } from '../frame/context';
  import CellValue from '../values/CellValue.svelte';
  import { agoWords } from '../values/words';
  import type { ShownRecord } from '../records/recordSet.svelte';

  /**
   * What became of a record: each field from what to what, by whom and by what; an earlier value can be written again.
   */
  const {
    workspace,
    model,
    table,
    record,
    mayEdit,
    onedit,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    record: ShownRecord;
    mayEdit: boolean;
    onedit: (field: Field, value: unknown) => void;
  } = $props();

  const frame = useFrame();
  /** Runs are told to those who manage routines. */
  const mayLook = $derived(frame.workspace.may.routines);
  const mostRead = 50;
  let opened = $state(false);
  // Read anew with each version of the record.
  const steps = $derived(
    opened && record.version > 0
      ? call<{ items: RecordStep[]; next: number | null }>(
          'GET',
          workspacePath(workspace, `/tables/${table.key}/records/${record.id}/history?limit=${mostRead}`),
        )
      : null,
  );
  const hows: Partial<Record<string, string>> = {
    edit: '',
    form: '',
    plan: 'by a change of structure',
    transfer: 'by a transfer',
    undo: 'undone',
  };
  /** By which form or load it was; other steps by their kind. */
  const howWords = ({ how, title, routine }: RecordStep) =>
    (routine && `by the routine “${routine.label}”`) ??
    /by the form “.*”$/.exec(title)?.[0] ??
    (how === 'load' ? `by the load “${title}”` : (hows[how] ?? how));
  const fieldAt = (key: string) => table.fields.find((field) => field.key === key);
</script>

<section aria-label="History of this record">
  <h2>
    <button aria-expanded={opened} onclick={() => (opened = !opened)}
      ><span aria-hidden="true">{opened ? '▾' : '▸'}</span> History of this record</button
    >
  </h2>
  {#if steps}
    {#await steps}
      <p>Reading …</p>
    {:then answer}
      {#if !answer.ok}<p>{answer.problem.message}</p>
      {:else}
        <ol>
          {#each answer.value.items as step, at (at)}
            <li class:undone={step.undone}>
              <p>
                <b>{step.by}</b>
                {step.kind === 'made' ? 'made it' : step.kind === 'deleted' ? 'deleted it' : 'changed it'}
                {howWords(step)}
                {#if step.routine && mayLook}<a href="/w/{workspace}/routines/runs?batch={step.batch}">see the run</a
                  >{/if}
                <time datetime={step.at} title={step.at}>{agoWords(step.at)}</time>{step.undone
                  ? ' · undone since'
                  : ''}
              </p>
              {#if step.kind === 'changed'}
                <ul>
                  {#each step.fields as { field: key, label, from, to, entered } (key)}
                    {@const field = fieldAt(key)}
                    {#if field}
                      <li>
                        <span class="label">{label}</span>
                        {#if from === null}<i>blank</i>{:else}<CellValue {model} {field} value={from} />{/if}
                        <span aria-label="became">→</span>
                        {#if to === null}<i>blank</i>{:else}<CellValue {model} {field} value={to} />{/if}
                        {#if mayEdit && entered && JSON.stringify(record.values[key] ?? null) !== JSON.stringify(from)}
                          <button
                            onclick={() => onedit(field, from)}
                            aria-label="Write the earlier value of {label} again">write again</button
                          >
                        {/if}
                      </li>
                    {/if}
                  {/each}
                </ul>
              {/if}
            </li>
          {:else}
            <li>Nothing is known of it.</li>
          {/each}
        </ol>
        {#if answer.value.next !== null}<p>The latest {mostRead} steps.</p>{/if}
      {/if}
    {/await}
  {/if}
</section>

<style>
  section {
    margin-top: 22px;
  }
  h2 button {
    font-size: 15px;
    font-weight: 600;
  }
  p,
  li {
    font-size: 13px;
  }
  ol > li {
    padding: 5px 0 5px 12px;
    border-left: 2px solid var(--line-strong);
  }
  .undone {
    color: var(--ink-soft);
    border-left-style: dashed;
  }
  ul li {
    display: flex;
    gap: 8px;
    align-items: baseline;
    padding-left: 10px;
  }
  .label,
  time,
  i {
    color: var(--ink-soft);
  }
  .label {
    min-width: 110px;
  }
  li a {
    color: var(--woad);
    text-decoration: underline;
  }
  ul button {
    color: var(--woad);
    text-decoration: underline;
  }
</style>
