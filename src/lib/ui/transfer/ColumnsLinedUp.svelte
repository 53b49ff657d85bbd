<script lang="ts" module>
  /** A column with a formula over each table, by the table's key. */
  export interface LinedUpColumn {
    readonly label: string;
    readonly from: Readonly<Record<string, string>>;
  }
</script>

<script lang="ts">
  /** The columns that several tables become: their names, and what gives each of them in each table. */
  const {
    columns,
    tables,
    onchange,
  }: {
    columns: readonly LinedUpColumn[];
    tables: readonly { readonly key: string; readonly label: string }[];
    onchange: (now: LinedUpColumn[]) => void;
  } = $props();
  const change = (at: number, now: Partial<LinedUpColumn>) =>
    onchange(columns.map((one, place) => (place === at ? { ...one, ...now } : one)));
</script>

<h3>Columns, each with a formula over each table</h3>
<div class="scroll">
  <table>
    <thead
      ><tr
        ><th>column</th>{#each tables as { key, label } (key)}<th>{label}</th>{/each}<th
          ><span class="sr-only">leave out</span></th
        ></tr
      ></thead
    >
    <tbody>
      {#each columns as column, at (at)}
        <tr>
          <td
            ><input
              class="in-line"
              aria-label="Name of column {at + 1}"
              value={column.label}
              oninput={(event) => change(at, { label: event.currentTarget.value })}
            /></td
          >
          {#each tables as { key, label } (key)}
            <td
              ><input
                class="in-line formula"
                aria-label="{column.label} from {label}"
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
              onclick={() => onchange(columns.filter((_, place) => place !== at))}>leave out</button
            ></td
          >
        </tr>
      {/each}
    </tbody>
  </table>
</div>
<button type="button" onclick={() => onchange([...columns, { label: `Column ${columns.length + 1}`, from: {} }])}
  >+ column</button
>

<style>
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
</style>
