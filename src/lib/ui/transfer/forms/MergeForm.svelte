<script lang="ts">
  import { untrack } from 'svelte';
  import { ownTables, tableNamed } from '$core/model/model';
  import type { Written } from '$core/transfer/work';
  import type { FormProps } from '../form';

  /** Tables that become one: which, what marks their records, and how their columns line up. */
  const { model, begun, shown, onwant }: FormProps = $props();
  interface Source {
    readonly table: string;
    readonly mark: string;
  }
  const start = untrack(() => begun);
  const labelOf = (key: string) =>
    tableNamed(
      untrack(() => model),
      key,
    )?.label ?? key;
  let sources = $state.raw<readonly Source[]>(
    ((start.sources ?? []) as readonly Source[]).map(({ table, mark }) => ({ table, mark: mark ?? labelOf(table) })),
  );
  let to = $state(typeof start.to === 'string' ? start.to : 'new');
  let label = $state(
    typeof start.to === 'object' && start.to !== null ? String((start.to as { label: string }).label) : '',
  );
  let markLabel = $state(String(start.markLabel ?? 'Source'));
  let columns = $state.raw<readonly Column[] | null>((start.fields as readonly Column[] | undefined) ?? null);
  const accept = untrack(() => begun.accept === true);
  interface Column {
    readonly label: string;
    readonly from: Readonly<Record<string, string>>;
  }
  const proposed = $derived(shown?.transfer.work === 'merge' ? (shown.transfer.fields as readonly Column[]) : null);
  const lines = $derived(columns ?? proposed ?? []);
  const chosen = $derived(sources.map(({ table }) => table));

  $effect(() => {
    const ready = sources.length >= 2 && (to !== 'new' || label.trim() !== '');
    const json: Written | null = ready
      ? {
          work: 'merge',
          sources,
          to: to === 'new' ? { label: label.trim() } : to,
          markLabel,
          ...(columns ? { fields: columns.filter((one) => one.label.trim() !== '') } : {}),
          ...(accept ? { accept } : {}),
        }
      : null;
    untrack(() => onwant(json));
  });

  function toggle(key: string, on: boolean) {
    sources = on ? [...sources, { table: key, mark: labelOf(key) }] : sources.filter(({ table }) => table !== key);
    if (to !== 'new' && !sources.some(({ table }) => table === to)) to = 'new';
    columns = null;
  }
  const change = (at: number, now: Partial<Column>) =>
    (columns = lines.map((one, place) => (place === at ? { ...one, ...now } : one)));
</script>

<fieldset class="tables">
  <legend>Tables that become one</legend>
  {#each ownTables(model) as { key, label } (key)}
    <label
      ><input
        type="checkbox"
        checked={chosen.includes(key)}
        onchange={(event) => toggle(key, event.currentTarget.checked)}
      />
      {label}</label
    >
  {/each}
</fieldset>
{#if sources.length >= 2}
  <div class="asking">
    <label
      >Into
      <select class="in-line" bind:value={to} onchange={() => (columns = null)}>
        <option value="new">a new table</option>
        {#each chosen as key (key)}<option value={key}>{labelOf(key)}</option>{/each}
      </select></label
    >
    {#if to === 'new'}<label>Its name <input class="in-line" bind:value={label} /></label>{/if}
    <label>The field that tells them apart <input class="in-line" bind:value={markLabel} /></label>
    {#each sources as { table, mark }, at (table)}
      <label
        >{labelOf(table)} are marked
        <input
          class="in-line"
          value={mark}
          oninput={(event) =>
            (sources = sources.map((one, place) => (place === at ? { ...one, mark: event.currentTarget.value } : one)))}
        /></label
      >
    {/each}
  </div>
{/if}
{#if lines.length > 0}
  <h3>Columns, each with a formula over each table</h3>
  <div class="scroll">
    <table>
      <thead
        ><tr
          ><th>column</th>{#each chosen as key (key)}<th>{labelOf(key)}</th>{/each}<th
            ><span class="sr-only">leave out</span></th
          ></tr
        ></thead
      >
      <tbody>
        {#each lines as column, at (at)}
          <tr>
            <td
              ><input
                class="in-line"
                aria-label="Name of column {at + 1}"
                value={column.label}
                oninput={(event) => change(at, { label: event.currentTarget.value })}
              /></td
            >
            {#each chosen as key (key)}
              <td
                ><input
                  class="in-line formula"
                  aria-label="{column.label} from {labelOf(key)}"
                  value={column.from[key] ?? ''}
                  placeholder="blank"
                  spellcheck="false"
                  autocomplete="off"
                  oninput={(event) => change(at, { from: { ...column.from, [key]: event.currentTarget.value } })}
                /></td
              >
            {/each}
            <td
              ><button
                type="button"
                aria-label="Leave out {column.label}"
                onclick={() => (columns = lines.filter((_, place) => place !== at))}>leave out</button
              ></td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  <button type="button" onclick={() => (columns = [...lines, { label: `Column ${lines.length + 1}`, from: {} }])}
    >+ column</button
  >
  <p class="soft">
    A formula can turn values: <code>-weight</code>, <code>grams / 1000</code>. Formulas elsewhere turn them back.
  </p>
{/if}

<style>
  .tables {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
    gap: 2px 12px;
    margin-bottom: 10px;
  }
  legend {
    color: var(--ink-soft);
    font-size: 13px;
  }
  h3 {
    margin: 6px 0;
    font-size: 14px;
  }
  .scroll {
    overflow-x: auto;
  }
  th {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
    text-align: left;
  }
  td {
    padding: 2px 6px 2px 0;
  }
  td input {
    width: 100%;
    min-width: 110px;
  }
  .formula {
    font: 12px/1.8 var(--mono);
  }
  button {
    color: var(--woad);
    text-decoration: underline;
    white-space: nowrap;
  }
  .soft {
    margin-top: 6px;
    color: var(--ink-faint);
    font-size: 13px;
  }
</style>
