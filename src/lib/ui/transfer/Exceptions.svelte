<script lang="ts">
  import type { Table } from '$core/types/model';
  import type { Written } from '$core/filled/written';
  import type { SplitExceptions } from '$server/transfer/exceptions';
  import { call, workspacePath } from '../api';
  import { counted } from '../values/words';

  /** Where records of one key say different things: which of them is right is decided one by one. */
  const {
    workspace,
    table,
    by,
    fields,
    decisions,
    onchange,
  }: {
    workspace: string;
    table: Table;
    by: readonly string[];
    fields: readonly string[];
    decisions: readonly Written[];
    onchange: (decisions: readonly Written[]) => void;
  } = $props();
  type Exception = SplitExceptions['items'][number];
  let found = $state.raw<SplitExceptions | null>(null);
  const asked = $derived(JSON.stringify([table.key, by, fields]));

  $effect(() => {
    const now = asked;
    found = null;
    void call<SplitExceptions>('POST', workspacePath(workspace, `/tables/${table.key}/exceptions`), {
      by,
      fields,
    }).then((answer) => {
      if (answer.ok && now === asked) found = answer.value;
    });
  });
  const labelOf = (key: string) => table.fields.find((field) => field.key === key)?.label ?? key;
  const chosenFor = ({ where, field }: Exception): string | undefined => {
    const decision = decisions.find(
      (one) => one.where === where && (one.set as readonly Written[])[0]?.field === field,
    );
    return decision && String((decision.set as readonly Written[])[0]?.formula);
  };
  function decide(exception: Exception, formula: string) {
    const { where, field } = exception;
    const others = decisions.filter(
      (one) => !(one.where === where && (one.set as readonly Written[])[0]?.field === field),
    );
    onchange([...others, { where, set: [{ field, formula }] }]);
  }
</script>

{#if found}
  {#if found.items.length === 0}<p class="soft" role="status">
      No exceptions: the key decides these columns on every record. ✓
    </p>
  {:else}
    <h3>
      {counted(found.count, 'exception')}, {found.items.filter((one) => chosenFor(one) !== undefined).length} decided
    </h3>
    <ol>
      {#each found.items as exception (`${exception.where} ${exception.field}`)}
        <li>
          <fieldset>
            <legend
              >{labelOf(exception.field)} of {by
                .map((key, at) => `${labelOf(key)} ${exception.key[at] ?? ''}`)
                .join(', ')}</legend
            >
            {#each exception.values as { text, formula, count } (formula)}
              <label
                ><input
                  type="radio"
                  name="{exception.where} {exception.field}"
                  checked={chosenFor(exception) === formula}
                  onchange={() => decide(exception, formula)}
                />
                {text === '' ? 'blank' : text} <span class="soft">{counted(count, 'record')}</span></label
              >
            {/each}
          </fieldset>
        </li>
      {/each}
    </ol>
    {#if found.count > found.items.length}<p class="soft">
        The first {found.items.length}; decide these, or correct the records, and the next are shown.
      </p>{/if}
  {/if}
{:else}<p class="soft" role="status">Looking for exceptions …</p>{/if}

<style>
  h3 {
    margin: 6px 0;
    font-size: 14px;
  }
  ol {
    max-height: 340px;
    overflow: auto;
  }
  fieldset {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 14px;
    padding: 4px 0;
    border-top: 1px solid var(--line);
  }
  .soft {
    color: var(--ink-faint);
    font-size: 13px;
  }
</style>
